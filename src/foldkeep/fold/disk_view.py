"""Looking at what lies below places now, before anything is changed."""

import os
import stat
from collections import defaultdict

from foldkeep.model.names import innermost
from foldkeep.model.remote import RemoteFile, is_remote
from foldkeep.storage.local.changes import Folders
from foldkeep.storage.local.reading import facts_of, same_content
from foldkeep.storage.remote import remote_storage

from .bench import may_be_kin, may_have
from .servers.looking import read_whole


class Look:
    """Looks at files below places, never following a link."""

    def __init__(self, folders: dict[bytes, Folders]) -> None:
        self._folders = folders
        self._remote: dict[bytes, dict[bytes, os.stat_result]] = {}
        self._names: dict[bytes, list[bytes]] = {}
        self._by_stem: dict[bytes, dict[bytes, list[bytes]]] = {}

    def folder_of(self, path: bytes) -> tuple[int, bytes] | None:
        """Return the open folder of a path and its last step; None if it lies in no place that is here."""
        place = innermost(self._folders, path)
        return None if place is None else self._folders[place].of(path)

    def facts(self, path: bytes) -> os.stat_result | None:
        """Return what lies at a path; None if nothing does. OSError where a step is a link or cannot be entered."""
        if is_remote(path):
            folder, _, name = path.rpartition(b"/")
            return self._listed(folder).get(name)
        try:
            found = self.folder_of(path)
        except FileNotFoundError:
            return None
        return facts_of(*found) if found else None

    def _listed(self, folder: bytes) -> dict[bytes, os.stat_result]:
        """Return what lies in a folder on a server, as one look shows it."""
        if folder not in self._remote:
            try:
                files = remote_storage(folder).files(folder)
            except FileNotFoundError:
                files = []
            self._remote[folder] = {file.name: facts_of_remote(file) for file in files}
        return self._remote[folder]

    def names_beside(self, path: bytes) -> list[bytes]:
        """Return the names in the folder of a file, in order."""
        folder = os.path.dirname(path)
        if is_remote(path):
            return sorted(self._listed(folder))
        if folder not in self._names:
            try:
                found = self.folder_of(path)
                self._names[folder] = sorted(map(os.fsencode, os.listdir(found[0]))) if found else []
            except OSError:
                self._names[folder] = []
        return self._names[folder]

    def may_have(self, path: bytes) -> bool:
        """Tell whether a file may get a path without becoming a companion of one that is there, or getting one."""
        if is_remote(path):
            return not may_be_kin(path.rpartition(b"/")[2], self._listed(path.rpartition(b"/")[0]))
        found = self.folder_of(path)
        return found is None or may_have(*found)

    def kin_of(self, path: bytes, stem: bytes) -> list[bytes]:
        """Return the names in the folder of a file that are `stem`, or begin with it and a dot."""
        folder = path.rpartition(b"/")[0]
        if folder not in self._by_stem:
            found: dict[bytes, list[bytes]] = defaultdict(list)
            for name in self.names_beside(path):
                for each in _stems(name):
                    found[each].append(name)
            self._by_stem[folder] = found
        return self._by_stem[folder].get(stem, [])

    def same_content(self, path: bytes, other: bytes) -> bool:
        """Tell whether two files have the same bytes."""
        if is_remote(path) or is_remote(other):
            return read_whole(path)[0] == read_whole(other)[0]
        found, other_found = self.folder_of(path), self.folder_of(other)
        return found is not None and other_found is not None and same_content(*found, *other_found)


def facts_of_remote(file: RemoteFile) -> os.stat_result:
    """Return what a server says of a file in the system's form; no device and no number tell it from others."""
    kind = stat.S_IFDIR if file.is_folder else stat.S_IFREG
    seconds = file.modified_ns // 1_000_000_000
    plain = (kind | 0o600, 0, 0, 1, 0, 0, file.size, seconds, seconds, seconds)
    return os.stat_result(plain, {"st_mtime_ns": file.modified_ns, "st_blocks": 0})


def _stems(name: bytes) -> set[bytes]:
    """Return a name and all that stands before a dot in it."""
    steps = name.split(b".")
    return {b".".join(steps[:count]) for count in range(1, len(steps) + 1)} - {b""}
