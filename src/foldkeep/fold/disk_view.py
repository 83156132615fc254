"""Looking at what lies below places now, before anything is changed."""

import os
from collections import defaultdict

from foldkeep.model.names import innermost
from foldkeep.storage.local.changes import Folders
from foldkeep.storage.local.reading import facts_of, same_content

from .bench import may_have


class Look:
    """Looks at files below places, never following a link."""

    def __init__(self, folders: dict[bytes, Folders]) -> None:
        self._folders = folders
        self._names: dict[bytes, list[bytes]] = {}
        self._by_stem: dict[bytes, dict[bytes, list[bytes]]] = {}

    def folder_of(self, path: bytes) -> tuple[int, bytes] | None:
        """Return the open folder of a path and its last step; None if it lies in no place that is here."""
        place = innermost(self._folders, path)
        return None if place is None else self._folders[place].of(path)

    def facts(self, path: bytes) -> os.stat_result | None:
        """Return what lies at a path; None if nothing does. OSError where a step is a link or cannot be entered."""
        try:
            found = self.folder_of(path)
        except FileNotFoundError:
            return None
        return facts_of(*found) if found else None

    def names_beside(self, path: bytes) -> list[bytes]:
        """Return the names in the folder of a file, in order."""
        folder = os.path.dirname(path)
        if folder not in self._names:
            try:
                found = self.folder_of(path)
                self._names[folder] = sorted(map(os.fsencode, os.listdir(found[0]))) if found else []
            except OSError:
                self._names[folder] = []
        return self._names[folder]

    def may_have(self, path: bytes) -> bool:
        """Tell whether a file may get a path without becoming a companion of one that is there, or getting one."""
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
        found, other_found = self.folder_of(path), self.folder_of(other)
        return found is not None and other_found is not None and same_content(*found, *other_found)


def _stems(name: bytes) -> set[bytes]:
    """Return a name and all that stands before a dot in it."""
    steps = name.split(b".")
    return {b".".join(steps[:count]) for count in range(1, len(steps) + 1)} - {b""}
