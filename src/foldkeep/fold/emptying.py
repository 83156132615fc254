"""Folders that a run empties: put away into the vault as they are, and back.

An empty folder is renamed like a file, so that its mode, owner and attributes come back with it; its times
are written down, since taking files out of a folder changes them.
"""

import os
from collections import defaultdict
from collections.abc import Collection, Iterable
from dataclasses import dataclass

from foldkeep.model import folders_above
from foldkeep.scan import FOLDER

from .journal import Entry, absolute_path, relative_name
from .moving import Folders, facts_of
from .vault import Vault


@dataclass(frozen=True, slots=True)
class Emptied:
    """A folder that a run emptied: its path, its name in the vault, its times of access and modification."""

    path: bytes
    slot: bytes
    times: tuple[int, int]


def put_away(vault: Vault, folders: Folders, touched: Iterable[bytes], stay: Collection[bytes]) -> list[bytes]:
    """Put those folders away that are empty now, and those above them that become so; return which.

    Parameters
    ----------
    touched
        Folders that lost a file.
    stay
        Folders that stay in any case: tops of places.
    """
    levels: dict[int, set[bytes]] = defaultdict(set)
    for folder in touched:
        levels[folder.count(b"/")].add(folder)
    done: list[bytes] = []
    number = 0
    while levels:
        level = sorted(levels.pop(max(levels)))
        empty = [folder for folder in level if folder not in stay and _is_empty(folders, folder)]
        slots = {folder: b"%06d" % (number + at) for at, folder in enumerate(empty, start=1)}
        number += len(empty)
        for folder in empty:
            folders.of(folder)  # notes the times of the folder above before it loses this one
        vault.journal.write(
            {
                "do": "empty",
                "f": slots[folder].decode(),
                "from": relative_name(vault.place, folder),
                "times": folders.first_times[folder],
            }
            for folder in empty
        )
        for folder in empty:
            if _put_away(vault, folders, folder, slots[folder]):
                done.append(folder)
                above = os.path.dirname(folder)
                levels[above.count(b"/")].add(above)
        if empty:
            folders.flush()
            os.fsync(vault.folders())
    return done


def _is_empty(folders: Folders, folder: bytes) -> bool:
    try:
        return not os.listdir(folders.of(os.path.join(folder, b"x"))[0])
    except OSError:
        return False


def _put_away(vault: Vault, folders: Folders, folder: bytes, slot: bytes) -> bool:
    above, name = folders.of(folder)
    try:
        meant = os.fstat(folders.of(os.path.join(folder, b"x"))[0])
        folders.close(folder)
        os.rename(name, slot, src_dir_fd=above, dst_dir_fd=vault.folders())
        # Somebody may have put something into it, or in its place, between the last look and the move.
        if _is_empty_folder(vault.folders(), slot, meant):
            return True
        os.rename(slot, name, src_dir_fd=vault.folders(), dst_dir_fd=above)
    except OSError:
        pass  # a volume is mounted there, or it is not ours to move
    return False


def _is_empty_folder(folder: int, name: bytes, meant: os.stat_result) -> bool:
    try:
        descriptor = os.open(name, FOLDER, dir_fd=folder)
    except OSError:
        return False
    try:
        return os.path.samestat(os.fstat(descriptor), meant) and not os.listdir(descriptor)
    finally:
        os.close(descriptor)


def bring_back(vault: Vault, folders: Folders, paths: Iterable[bytes]) -> None:
    """Put the emptied folders that are above any of these paths back where they were.

    Where there is a folder again, that one is taken.
    """
    above = {folder for path in paths for folder in folders_above(path)}
    emptied = sorted(
        (each for each in _emptied_folders(vault.place, vault.entries()) if each.path in above),
        key=lambda each: len(each.path),
    )
    present = [each for each in emptied if facts_of(vault.folders(), each.slot) is not None]
    vault.journal.write({"do": "refill", "f": each.slot.decode()} for each in present)
    for each in present:
        parent, name = folders.of(each.path, make=True)
        if facts_of(parent, name) is None:
            os.rename(each.slot, name, src_dir_fd=vault.folders(), dst_dir_fd=parent)
        else:
            os.rmdir(each.slot, dir_fd=vault.folders())
    if present:
        folders.flush()
        os.fsync(vault.folders())


def set_times_again(vault: Vault, folders: Folders) -> None:
    """Give folders that were brought back the times that they had; also those of a run that was killed before."""
    entries = vault.entries()
    due = {entry.get("f") for entry in entries if entry.get("do") == "refill"}
    due -= {entry.get("f") for entry in entries if entry.get("done") == "refill"}
    back = [each for each in _emptied_folders(vault.place, entries) if each.slot.decode() in due]
    for each in sorted(back, key=lambda each: -len(each.path)):
        parent, name = folders.of(each.path)
        if facts_of(vault.folders(), each.slot) is None and facts_of(parent, name) is not None:
            os.utime(name, ns=each.times, dir_fd=parent, follow_symlinks=False)
    vault.journal.write({"done": "refill", "f": each.slot.decode()} for each in back)


def _emptied_folders(place: bytes, entries: Iterable[Entry]) -> list[Emptied]:
    """Return the folders that a run emptied, as the entries of its journal tell."""
    found = {}
    for entry in entries:
        if entry.get("do") == "empty":
            try:
                path = absolute_path(place, entry["from"])
                accessed, modified = entry["times"]
                found[entry["f"]] = Emptied(path, os.fsencode(entry["f"]), (int(accessed), int(modified)))
            except (KeyError, TypeError, ValueError):
                continue  # not a line that we wrote
    return list(found.values())
