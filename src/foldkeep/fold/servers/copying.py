"""Copies onto a server: written under a name of our own, read back, and only then called what they are to be."""

import os
from collections.abc import Iterable
from contextlib import suppress
from dataclasses import dataclass, field

from foldkeep.model import PathBytes, RunFile, RunFileState
from foldkeep.model.names import names_to_try
from foldkeep.storage.local.reading import NotSafe, Stamps, opened
from foldkeep.storage.remote import RemoteStorage, make_folder, read_remote, take_back, upload

from ..removing.server import Vouched, content_kept, read_and_keep, remove_vouched
from ..runs.plan import Item
from ..vault import COMING_IN
from ..verify import check_row
from .fence import FENCE
from .looking import copy_with, read_whole
from .vault import RemoteVault

_CHANGED_SINCE = "changed since it was copied; take it away yourself"
_LAST = "stays, since no other file with its content can be read now"


@dataclass
class Names:
    """Chooses names on a server that are free and not promised to another file of the run."""

    storage: RemoteStorage
    _promised: set[PathBytes] = field(default_factory=set)
    _taken: dict[PathBytes, set[bytes]] = field(default_factory=dict)

    def free(self, wanted: PathBytes) -> PathBytes:
        """Return a path that is free, the wanted one or one beside it; NotSafe if there is none."""
        folder, _, name = wanted.rpartition(b"/")
        if folder not in self._taken:
            try:
                self._taken[folder] = {each.name for each in self.storage.files(folder)}
            except FileNotFoundError:
                self._taken[folder] = set()
        for each in names_to_try(name):
            path = folder + b"/" + each
            if each not in self._taken[folder] and path not in self._promised:
                self._promised.add(path)
                return path
        raise NotSafe("no name is free for it there")

    def took(self, path: PathBytes) -> None:
        """Note that somebody has a path."""
        folder, _, name = path.rpartition(b"/")
        self._taken.setdefault(folder, set()).add(name)


def coming_in(vault: RemoteVault, file: RunFile) -> PathBytes:
    """Return the path that a copy has until it is whole."""
    folder, _, slot = vault.slot(file).rpartition(b"/")
    return folder + b"/" + COMING_IN + slot


def announced(item: Item, file: RunFile, names: Names) -> RunFile:
    """Return a file that is to be copied, with a free target; NotSafe if it is there already, or not the one meant."""
    with opened(item.row.path) as original:
        check_row(item.row, os.fstat(original))
    there = names.storage.facts(item.target)
    is_as_large = there is not None and there.size == item.row.size
    if is_as_large and read_whole(item.row.path)[0] == read_remote(item.target, storage=names.storage)[0]:
        raise NotSafe("lies there already, with the same content")
    target = names.free(item.target)
    return file._replace(path=target, target=target, keeper=item.row.path, state=RunFileState.MADE)


def write_copy(vault: RemoteVault, item: Item, file: RunFile) -> RunFile:
    """Write a copy under a name of our own and read it back; return the file with its digest.

    Raises NotSafe if the original changed, or the copy is not what it is; then what was written is taken away.
    """
    path = coming_in(vault, file)
    try:
        with opened(item.row.path) as original:
            digest = upload(vault.storage, original, path)
        if item.row.digest not in (None, digest):
            take_back(vault.storage, path, digest)
            raise NotSafe("its content is not what the docket says; look again")
    except (NotSafe, OSError):
        with suppress(OSError):  # what was sent may still come; it finds its name taken then
            vault.storage.write_new(path, [FENCE], len(FENCE))
        raise
    return file._replace(digest=digest)


def put_there(vault: RemoteVault, file: RunFile) -> RunFile:
    """Give a whole copy its name.

    Raises
    ------
    FileExistsError
        If somebody took it meanwhile.
    OSError
        If it cannot be told now what became of it.
    """
    path, storage = coming_in(vault, file), vault.storage
    make_folder(storage, file.target.rpartition(b"/")[0], vault.place)
    facts = storage.facts(path)
    try:
        storage.move(path, file.target, facts.etag if facts else "")
    except OSError:
        if storage.facts(path) is not None or read_remote(file.target, storage=storage)[0] != file.digest:
            raise
    there = storage.facts(file.target)
    if there is None or there.size != file.size:
        raise NotSafe("its copy was changed or taken away at once; look again")
    return file


def take_away(vault: RemoteVault, file: RunFile, candidates: Iterable[PathBytes]) -> None:
    """Delete a copy that a run made, if it is unchanged and another file with its content was read now.

    Raises NotSafe if it stays.
    """
    storage = vault.storage
    if storage.facts(file.target) is None:
        return
    with content_kept() as content:
        digest, stamp = read_and_keep(storage, file.target, content)
        if digest != file.digest:
            raise NotSafe(_CHANGED_SINCE)
        witness = copy_with(digest, (path for path in candidates if path != file.target))
        if witness is None:
            raise NotSafe(_LAST)
        remove_vouched(storage, Vouched(file.target, stamp, digest, witness, content), Stamps())
