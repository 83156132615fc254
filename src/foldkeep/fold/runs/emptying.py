"""Folders that a run empties: put away into the vault as they are, and back.

An empty folder is renamed like a file, so that its mode, owner and attributes come back with it; its times
are written down, since taking files out of a folder changes them.
"""

import os
from collections import defaultdict
from collections.abc import Collection, Iterable
from contextlib import suppress

from foldkeep.model import PathBytes
from foldkeep.model.names import folders_above, names_to_try
from foldkeep.model.work import reason_of
from foldkeep.storage.local.changes import (
    Folders,
    flush,
    is_empty_folder,
    move,
    move_onto_empty,
    move_to_free,
    remove_folder,
)
from foldkeep.storage.local.reading import facts_of

from ..journal import FolderEmptied, FolderReturned, FolderReturning, FolderTouched, Record
from ..vault import Vault


def put_away(
    vault: Vault, folders: Folders, touched: Iterable[PathBytes], stay: Collection[PathBytes]
) -> list[PathBytes]:
    """Put those folders away that are empty now, and those above them that become so; return which.

    Parameters
    ----------
    touched
        Folders that lost a file.
    stay
        Folders that stay in any case: tops of places.
    """
    levels: dict[int, set[PathBytes]] = defaultdict(set)
    for folder in touched:
        levels[folder.count(b"/")].add(folder)
    done: list[PathBytes] = []
    number = 0
    while levels:
        level = sorted(levels.pop(max(levels)))
        empty = [folder for folder in level if folder not in stay and _is_empty(folders, folder)]
        slots = {folder: b"%06d" % (number + at) for at, folder in enumerate(empty, start=1)}
        number += len(empty)
        records: list[Record] = []
        for folder in empty:
            folders.of(folder)  # notes the times of the folder above before it loses this one
            above = os.path.dirname(folder)
            records += [
                FolderTouched(above, folders.first_times[above]),
                FolderEmptied(slots[folder].decode(), folder, folders.first_times[folder]),
            ]
        vault.journal.write(records, makes_room=True)
        for folder in empty:
            if _put_away(vault, folders, folder, slots[folder]):
                done.append(folder)
                above = os.path.dirname(folder)
                levels[above.count(b"/")].add(above)
        if empty:
            flush(vault.folders())
            folders.flush()
    return done


def _is_empty(folders: Folders, folder: PathBytes) -> bool:
    try:
        return not os.listdir(folders.of(os.path.join(folder, b"x"))[0])
    except OSError:
        return False


def _put_away(vault: Vault, folders: Folders, folder: PathBytes, slot: bytes) -> bool:
    above, name = folders.of(folder)
    try:
        meant = os.fstat(folders.of(os.path.join(folder, b"x"))[0])
        folders.close(folder)
        move(above, name, vault.folders(), slot, to_our_own=True)
        # Somebody may have put something into it, or in its place, between the last look and the move.
        if is_empty_folder(vault.folders(), slot, meant):
            return True
        move_to_free(vault.folders(), slot, above, name)
    except OSError:
        pass  # a volume is mounted there, or it is not ours to move
    return False


class Homes:
    """Folders that files come back to: their own, or beside that where something else has its name now."""

    def __init__(self, folders: Folders) -> None:
        self._folders = folders
        self._elsewhere: dict[PathBytes, PathBytes] = {}
        self._waiting: dict[PathBytes, str] = {}

    def wait(self, folder: PathBytes, reason: str) -> None:
        """Note that a folder could not come back now; what was in it waits for it, or it would get another mode."""
        self._waiting[folder] = reason

    def why_not(self, path: PathBytes) -> str:
        """Return why what was at a path cannot come back before the folder that it was in; empty if it can."""
        for folder in folders_above(path) if self._waiting else ():
            if folder in self._waiting:
                return f"its folder could not be brought back: {self._waiting[folder]}"
        return ""

    def of(self, path: PathBytes) -> PathBytes:
        """Return where what was at a path is to be."""
        for folder in folders_above(path):
            if folder in self._elsewhere:
                return self._elsewhere[folder] + path[len(folder) :]
        return path

    def folder(self, path: PathBytes) -> PathBytes:
        """Return where a folder is to be."""
        return os.path.dirname(self.of(os.path.join(path, b"x")))

    def _put_elsewhere(self, folder: PathBytes) -> None:
        """Find a name beside a folder whose name something else has."""
        now = self.folder(folder)
        above, name = self._folders.of(now, make=True)
        for free in names_to_try(name, 2):
            if facts_of(above, free) is None:
                self._elsewhere[folder] = os.path.join(os.path.dirname(now), free)
                return

    def divert(self, path: PathBytes) -> bool:
        """Have a file come back beside, since a folder on the way to it is now a file or link; tell if that was so."""
        for folder in sorted(folders_above(path), key=len):
            if len(folder) <= len(self._folders.top):
                continue
            now = self.folder(folder)
            if os.path.lexists(now) and (os.path.islink(now) or not os.path.isdir(now)):
                self._put_elsewhere(folder)
                return True
        return False


def bring_back(vault: Vault, folders: Folders, homes: Homes, paths: Iterable[PathBytes]) -> None:
    """Put the emptied folders that are above any of these paths back where they were.

    Where there is a folder again, that one is taken; where a file or link has the name, it gets one beside.
    """
    above = {folder for path in paths for folder in folders_above(path)}
    emptied = sorted(
        (each for each in _emptied_folders(vault.folder_records()) if each.path in above),
        key=lambda each: len(each.path),
    )
    # One that was under way when its process was killed may have an empty folder of ours where it is to be.
    begun = {record.slot for record in vault.folder_records() if isinstance(record, FolderReturning)}
    present = [each for each in emptied if facts_of(vault.folders(), os.fsencode(each.slot)) is not None]
    vault.journal.write(FolderReturning(each.slot) for each in present)
    for each in present:
        try:
            _bring_back(vault, folders, homes, each, begun)
        except OSError as error:
            if not os.path.isdir(homes.folder(each.path)):
                homes.wait(each.path, reason_of(error))
    if present:
        folders.flush()
        flush(vault.folders())


def _bring_back(vault: Vault, folders: Folders, homes: Homes, each: FolderEmptied, begun: Collection[str]) -> None:
    slot = os.fsencode(each.slot)
    homes.divert(os.path.join(each.path, b"x"))
    parent, name = folders.of(homes.folder(each.path), make=True)
    if facts_of(parent, name) is None:
        move(vault.folders(), slot, parent, name)
    elif each.slot in begun and not os.listdir(folders.of(os.path.join(homes.folder(each.path), b"x"))[0]):
        folders.close(homes.folder(each.path))
        move_onto_empty(vault.folders(), slot, parent, name)
    else:
        remove_folder(slot, vault.folders())


def set_times_again(vault: Vault, folders: Folders, homes: Homes) -> None:
    """Give folders that were brought back the times that they had; also those of a run that was killed before."""
    records = vault.folder_records()
    due = {record.slot for record in records if isinstance(record, FolderReturning)}
    due -= {record.slot for record in records if isinstance(record, FolderReturned)}
    back = [each for each in _emptied_folders(records) if each.slot in due]
    for each in sorted(back, key=lambda each: -len(each.path)):
        with suppress(OSError):
            parent, name = folders.of(homes.folder(each.path))
            if facts_of(vault.folders(), os.fsencode(each.slot)) is None and facts_of(parent, name) is not None:
                os.utime(
                    name, ns=(each.times.accessed_ns, each.times.modified_ns), dir_fd=parent, follow_symlinks=False
                )
    vault.journal.write(FolderReturned(each.slot) for each in back)


def _emptied_folders(records: Iterable[Record]) -> list[FolderEmptied]:
    """Return the folders that a run emptied, as the records of its journal tell."""
    return list({record.slot: record for record in records if isinstance(record, FolderEmptied)}.values())
