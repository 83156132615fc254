"""Drives that come back under other paths, and copies of drives: which folder is which place."""

import os
from collections.abc import Iterator
from dataclasses import dataclass, field

from foldkeep.model import PathBytes, Place, UnusableInput, visible
from foldkeep.model.names import FOLD_NAME
from foldkeep.model.volumes import VolumeFacts
from foldkeep.model.work import reason_of
from foldkeep.stock import Stock
from foldkeep.storage import storage_at
from foldkeep.storage.local.drives import hold_places, mark_of, mounted_volumes, new_mark, real_path, write_mark

from .places import (
    Found,
    Presence,
    TwinPlace,
    below_mount,
    find_folder,
    key_of_copy,
    known_place,
    looks_like,
    presence,
    twin_of,
    volume_key,
)


@dataclass(slots=True)
class Followed:
    """Result of looking for the drives of places that are away.

    Attributes
    ----------
    moved
        Where each place was that is found, and where it is now.
    doubtful
        Places of which it cannot be told whether the folder beside them is theirs or a copy.
    """

    moved: list[tuple[PathBytes, PathBytes]] = field(default_factory=list)
    doubtful: list[tuple[Place, PathBytes]] = field(default_factory=list)


def follow_drives(stock: Stock) -> Followed:
    """Find places that are away and whose volume is mounted at another path, and have all that is known be true there.

    A place is known by its volume or by the mark in its fold, and most of its files must be there. Where two drives say
    that they are the same, or the mark is on a volume that is known to be another, one is a copy of the other: neither
    is taken for the place.
    """
    followed = Followed()
    waiting = [place.id for place in stock.places.all() if place.below is not None]
    gone = (Presence.AWAY, Presence.OTHER)
    waiting = [number for number in waiting if presence(stock, stock.places.by_id()[number]) in gone]
    mounts = mounted_volumes() if waiting else []
    # The drive of one may be where another was that has not been found yet, and one around it may have taken it along.
    while found := [number for number in waiting if _is_found(stock, number, mounts, followed)]:
        waiting = [number for number in waiting if number not in found]
    followed.doubtful = list({(place.id, path): (place, path) for place, path in followed.doubtful}.values())
    return followed


def _is_found(stock: Stock, number: int, mounts: list[tuple[int, VolumeFacts]], followed: Followed) -> bool:
    """Have a place follow its drive if that is found, and tell whether it is where it should be now."""
    place = stock.places.by_id()[number]
    if presence(stock, place) is Presence.HERE:
        return True
    sure: dict[int, tuple[PathBytes, Found]] = {}
    doubtful = []
    for path, found, is_sure in _candidates(stock, place, mounts):
        if not is_sure:
            doubtful.append((place, path))
        elif found.device not in sure or len(path) < len(sure[found.device][0]):
            sure[found.device] = (path, found)
    if len(sure) == 1:
        ((path, found),) = sure.values()
        if looks_like(stock, place, path):
            _take_along(stock, place, path, found)
            followed.moved.append((place.path, path))
            return True
    followed.doubtful += doubtful + [(place, path) for path, _ in sure.values() if len(sure) > 1]
    return False


def _candidates(
    stock: Stock, place: Place, mounts: list[tuple[int, VolumeFacts]]
) -> Iterator[tuple[PathBytes, Found, bool]]:
    """Yield the folders that may be a place which is away, and whether its volume or mark says so without a doubt."""
    volume = stock.places.volumes()[place.volume]
    taken = {other.path for other in stock.places.all()}
    for _, facts in mounts:
        path = os.path.normpath(os.path.join(facts.mount, place.below or b""))
        if path in taken:
            continue
        try:
            found = find_folder(path)
        except OSError:
            continue
        is_volume = facts.is_lasting and volume.key in (facts.key, key_of_copy(found))
        if found.mark and place.mark:
            if found.mark == place.mark:
                yield path, found, is_volume or not (volume.is_lasting and facts.is_lasting)
        elif is_volume:
            yield path, found, True


def move_place(stock: Stock, place: Place, path: PathBytes) -> None:
    """Have all that is known of a place be true of a folder at another path, since the user says that it is there.

    Raises
    ------
    UnusableInput
        If the place is still where it was, the folder is a place already, cannot be listed, or has other files.
    """
    resolved = real_path(path)
    found = _found(resolved)
    if presence(stock, place) is Presence.HERE:
        raise UnusableInput(
            f"{visible(place.path)} is there, so it is not at {visible(path)}",
            f"if that is a copy of it: foldkeep places --mark {visible(path)}",
        )
    if known_place(stock, resolved, found):
        raise UnusableInput(f"{visible(path)} is a place of its own", "forget that first: foldkeep places --forget")
    if (twin := twin_of(stock, resolved, found)) and twin.id != place.id:
        raise TwinPlace(path, twin)
    if not looks_like(stock, place, resolved):
        raise UnusableInput(
            f"most of what is known of {visible(place.path)} is not in {visible(path)}", "scan it as a place of its own"
        )
    _take_along(stock, place, resolved, found)


def mark_place(stock: Stock, path: PathBytes) -> str:
    """Give a folder a mark of its own that stays, and return it; a copy of a place is a place of its own after that.

    The place keeps the mark that it has, unless another place has it.

    Raises
    ------
    UnusableInput
        If nothing can be written there, or the folder is one that a known place shows as well.
    PlaceBusy
        If somebody else is at work there.
    """
    resolved = real_path(path)
    found = _found(resolved)
    known, twin = known_place(stock, resolved, found), twin_of(stock, resolved, found)
    is_taken = twin is not None and twin.mark == found.mark
    mark = "" if is_taken else found.mark or (known.mark if known else "")
    mark = mark or new_mark()
    try:
        with hold_places([resolved], "places"):
            write_mark(resolved, mark, stays=True)
            if twin and mark_of(twin.path) == mark != found.mark:
                if found.mark:
                    write_mark(resolved, found.mark, stays=True)
                raise UnusableInput(
                    f"{visible(path)} and {visible(twin.path)} are one folder, seen through two mounts",
                    "scan one of them",
                )
            can = storage_at(resolved).capabilities_of(os.path.join(resolved, FOLD_NAME))
    except OSError as error:
        raise UnusableInput(f"cannot mark {visible(path)}: {reason_of(error)}", "name a place to write in") from error
    if known:
        with stock.transaction():
            stock.places.change(known._replace(mark=mark))
            if can:
                stock.places.set_capabilities(known.volume, can)
    return mark


def _found(path: PathBytes) -> Found:
    try:
        return find_folder(path)
    except OSError as error:
        raise UnusableInput(f"cannot look into {visible(path)}: {reason_of(error)}", "name a folder") from error


def _take_along(stock: Stock, place: Place, path: PathBytes, found: Found) -> None:
    with stock.transaction():
        volume = stock.places.volume(volume_key(stock, path, found), found.volume.name)
        stock.places.relocate(place, path)
        now = stock.places.by_id()[place.id]
        stock.places.change(
            now._replace(inode=found.inode, below=below_mount(path, found.volume), mark=found.mark or now.mark)
        )
        stock.places.change_volume(place.volume, volume, path)
