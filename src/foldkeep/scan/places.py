"""Places as they are now: telling the stock about one, and whether its drive is here."""

import os
from collections.abc import Mapping
from contextlib import suppress
from enum import StrEnum
from typing import NamedTuple

from foldkeep.model import PathBytes, Place, Role, UnusableInput, visible
from foldkeep.model.extras import need
from foldkeep.model.machines import is_elsewhere
from foldkeep.model.names import lies_below, lies_in_a_fold
from foldkeep.model.remote import is_address, is_remote, remote_path
from foldkeep.model.settings import ASKABLE
from foldkeep.model.volumes import VolumeFacts
from foldkeep.model.work import reason_of
from foldkeep.stock import Stock
from foldkeep.storage import storage_at
from foldkeep.storage.local.drives import answers, is_read_only, mark_of, real_path
from foldkeep.storage.local.reading import facts_at, open_top


class Presence(StrEnum):
    """States of a place: can it be looked into now?"""

    HERE = "here"
    AWAY = "away"
    """Nothing is there, or only the empty folder where its drive goes."""
    OTHER = "another volume"
    """Something is there, but not the volume that the stock knows."""
    SERVER = "on a server"
    """It is asked when it is scanned, and when something is done there."""
    ELSEWHERE = "on another machine"
    """An inventory tells of it."""
    SILENT = "no answer"
    """The share or program that it lies on does not answer."""


_SAMPLE = 50


class Found(NamedTuple):
    """A folder as it is now: its device and inode numbers, the facts of its volume, and the mark in its fold.

    A mark that nobody can have written there (a snapshot, an image, a protected card) is that of what was copied, so
    it does not count.
    """

    path: PathBytes
    device: int
    inode: int
    volume: VolumeFacts
    mark: str = ""
    is_read_only: bool = False


class TwinPlace(UnusableInput):
    """A folder says that it is a known place, and it cannot be told whether it is that or a copy of it."""

    def __init__(self, path: PathBytes, place: Place) -> None:
        self.path, self.place = path, place
        super().__init__(
            f"{visible(path)} says that it is {visible(place.path)}",
            f"if that is there now: foldkeep places {visible(place.label)} --moved-to {visible(path)}; "
            f"if it is a copy of it: foldkeep places --mark {visible(path)}",
        )


def find_folder(path: bytes) -> Found:
    """Return what a folder is now; raises OSError if it is not there or cannot be listed."""
    descriptor = open_top(path)
    try:
        facts = os.fstat(descriptor)
    finally:
        os.close(descriptor)
    protected = is_read_only(path)
    mark = "" if protected else mark_of(path)
    return Found(path, facts.st_dev, facts.st_ino, storage_at(path).volume_of(path, facts.st_dev), mark, protected)


def presence(stock: Stock, place: Place) -> Presence:
    """Tell whether a place is here, away, or covered by another volume."""
    if is_remote(place.path):
        return Presence.SERVER
    if is_elsewhere(place.path):
        return Presence.ELSEWHERE
    if not answers(place.path):
        return Presence.SILENT
    try:
        found = find_folder(place.path)
    except OSError:
        return Presence.AWAY
    if same_volume(stock, place, found):
        return Presence.HERE
    return Presence.OTHER if os.listdir(place.path) else Presence.AWAY


def places_here(stock: Stock) -> set[int]:
    """Return the numbers of the places whose drives are here."""
    return {place for place, now in presences(stock).items() if now is Presence.HERE}


def presences(stock: Stock) -> dict[int, Presence]:
    """Tell of every place, by its number, whether it is here."""
    return {place.id: presence(stock, place) for place in stock.places.all()}


def find_place(stock: Stock, name: str) -> Place:
    """Return the place with a label or path; raise UnusableInput if there is none."""
    path = real_path(os.fsencode(name))
    for place in stock.places.all():
        if place.label == name or place.path in (path, os.fsencode(name)):
            return place
    raise UnusableInput(f"no place is called {visible(name)}", "see foldkeep places")


def named_folder(stock: Stock, word: str) -> bytes:
    """Return the folder that is meant: the top of the place with this label, or a folder in a place.

    Raises UnusableInput if it is neither.
    """
    places = stock.places.all()
    path = real_path(os.fsencode(word))
    top = next((place.path for place in places if place.label == word), path)
    if not any(top == place.path or lies_below(top, place.path) for place in places):
        raise UnusableInput(
            f"{visible(word)} is no place and no folder in one", "scan it first, or see foldkeep places"
        )
    return top


def same_volume(stock: Stock, place: Place, found: Found) -> bool:
    """Tell whether what is found at a place is on the volume that the stock knows.

    Where both have a mark, that decides, but for volumes that are known to be others.
    """
    known = stock.places.volumes()[place.volume]
    if place.mark and found.mark and place.mark != found.mark:
        return False
    if known.key in (found.volume.key, key_of_copy(found)):
        return True
    lasting = (known.is_lasting, found.volume.is_lasting)
    if all(lasting) or (place.mark and found.mark):
        return not all(lasting)
    # Numbers of devices change whenever the computer starts, or a program's mount (FUSE) is made anew.
    return not any(lasting) and place.inode == found.inode and looks_like(stock, place, place.path)


def looks_like(stock: Stock, place: Place, path: PathBytes) -> bool:
    """Tell whether most of what is known of a place is in another folder, by name and size."""
    sample = stock.moves.sample(place.id, _SAMPLE)
    there = 0
    for known, size, *_ in sample:
        with suppress(OSError):
            there += facts_at(path + known[len(place.path) :]).st_size == size
    return 2 * there > len(sample)


def volume_key(stock: Stock, path: PathBytes, found: Found) -> str:
    """Return what tells the volume of a folder from others: the mark as well where a copy of it is here too."""
    known = stock.places.volumes()
    for place in stock.places.all():
        if place.path != path and known[place.volume].key == found.volume.key and found.volume.is_lasting:
            with suppress(OSError):
                other = find_folder(place.path)
                if other.volume.key == found.volume.key and other.device != found.device:
                    return key_of_copy(found)
    return found.volume.key


def key_of_copy(found: Found) -> str:
    """Return what tells a volume from another that it is a copy of, as a whole."""
    return f"{found.volume.key} {f'at {visible(found.path)}' if found.is_read_only else found.mark}"


def renewed(stock: Stock, place: Place) -> Place:
    """Return a place that is here on the volume that it lies on now, with its files; the key of some does not last."""
    found = find_folder(place.path)
    if stock.places.volumes()[place.volume].key in (found.volume.key, key_of_copy(found)):
        return place
    volume = stock.places.volume(volume_key(stock, place.path, found), found.volume.name)
    stock.places.change_volume(place.volume, volume, place.path)
    return place._replace(volume=volume)


def twin_of(stock: Stock, path: PathBytes, found: Found) -> Place | None:
    """Return the place, of another path, that a folder says it is: by its mark, or by a volume that is here twice.

    What is read-only beside a place that is here is a copy of it without a doubt.
    """
    known = stock.places.volumes()
    below = below_mount(path, found.volume)
    for place in stock.places.all():
        if place.path == path:
            continue
        if place.mark and found.mark:
            if place.mark == found.mark:
                return place
        elif known[place.volume].key == found.volume.key and place.below == below and not found.is_read_only:
            with suppress(OSError):
                other = find_folder(place.path)
                if other.device != found.device and other.mark == found.mark:
                    return place
    return None


def add_place(stock: Stock, path: bytes, role: Role | None = None, asked: Mapping[str, bool] | None = None) -> Place:
    """Tell the stock about a place, or bring a known one up to date.

    Symbolic links on the way to it are resolved here, once, and a folder that is known under another path
    is that place: one folder is one place.

    Parameters
    ----------
    role
        What the place is for; a known place keeps its role when None, a new one is for working.
    asked
        What scans are to look at there beyond the usual, and what no longer; the rest stays as it was.

    Raises
    ------
    UnusableInput
        If it is not a folder that can be listed, lies in a fold, or is the empty folder where the drive of a
        known place goes; TwinPlace if it may be a copy of a place.
    """
    if is_address(path):
        return _add_remote(stock, remote_path(path), role, asked or {})
    if not answers(path):
        raise UnusableInput(
            f"cannot scan {visible(path)}: the share or program behind it does not answer", "see to it, or scan others"
        )
    resolved = real_path(path)
    try:
        found = find_folder(resolved)
    except OSError as error:
        raise UnusableInput(
            f"cannot scan {visible(path)}: {reason_of(error)}", "name a folder that can be read"
        ) from error
    if lies_in_a_fold(resolved):
        raise UnusableInput(f"cannot scan {visible(path)}: it lies in a fold", "name the place above it")
    known = known_place(stock, resolved, found)
    if known and presence(stock, known) is Presence.AWAY:
        raise UnusableInput(
            f"the drive of {visible(path)} is away: the folder is there, but empty and on another volume",
            "connect the drive; or forget the place with: foldkeep places --forget " + visible(path),
        )
    is_new = known is None or not same_volume(stock, known, found)
    if is_new and (twin := twin_of(stock, resolved, found)):
        raise TwinPlace(path, twin)
    with stock.transaction():
        volume = stock.places.volume(volume_key(stock, resolved, found), found.volume.name)
        if known is None:
            label = visible(os.path.basename(resolved)) or "/"
            known = stock.places.add(resolved, role or Role.WORKING, label, volume, found.inode)
        place = known._replace(
            role=role or known.role,
            volume=volume,
            inode=found.inode,
            below=below_mount(resolved, found.volume),
            mark=found.mark or known.mark,
            asked=frozenset(word for word in ASKABLE if (asked or {}).get(word, word in known.asked)),
        )
        stock.places.change(place)
    return place


def _add_remote(stock: Stock, path: bytes, role: Role | None, asked: Mapping[str, bool]) -> Place:
    need("remote")
    from .remote import add_remote_place

    known = next((place for place in stock.places.all() if place.path == path), None)
    before = known.asked if known else frozenset()
    return add_remote_place(
        stock, path, role, frozenset(word for word in (*ASKABLE, "unencrypted") if asked.get(word, word in before))
    )


def below_mount(path: bytes, volume: VolumeFacts) -> bytes:
    """Return the path of a folder below where its volume is mounted; empty at the top."""
    below = os.path.relpath(path, volume.mount)
    return b"" if below == b"." else below


def known_place(stock: Stock, path: bytes, found: Found) -> Place | None:
    """Return the place that a folder is, by its path or else by the folder itself; None if it is none."""
    places = stock.places.all()
    for place in places:
        if place.path == path:
            return place
    for place in places:
        if place.inode == found.inode and same_volume(stock, place, found) and os.path.isdir(place.path):
            facts = os.stat(place.path)
            if (facts.st_dev, facts.st_ino) == (found.device, found.inode):
                return place
    return None
