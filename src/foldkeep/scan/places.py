"""Places as they are now: telling the stock about one, and whether its drive is here."""

import os
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass, replace
from enum import StrEnum

from foldkeep.model import (
    ASKABLE,
    Place,
    Role,
    UnusableInput,
    VolumeFacts,
    lies_below,
    lies_in_a_fold,
    reason_of,
    visible,
)
from foldkeep.stock import Stock
from foldkeep.storage.local import facts_at, mounted_volumes, volume_of


class Presence(StrEnum):
    """Whether a place can be looked into now."""

    HERE = "here"
    AWAY = "away"
    """Nothing is there, or only the empty folder where its drive goes."""
    OTHER = "another volume"
    """Something is there, but not the volume that the stock knows."""


_HERE = Presence.HERE
_SAMPLE = 50


@dataclass(frozen=True, slots=True)
class Found:
    """A folder as it is now: its device and inode numbers and the facts of its volume."""

    device: int
    inode: int
    volume: VolumeFacts


def find_folder(path: bytes) -> Found:
    """Return what a folder is now; raises OSError if it is not there or cannot be listed."""
    descriptor = os.open(path, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    try:
        facts = os.fstat(descriptor)
    finally:
        os.close(descriptor)
    return Found(facts.st_dev, facts.st_ino, volume_of(path, facts.st_dev))


def presence(stock: Stock, place: Place) -> Presence:
    """Tell whether a place is here, away, or covered by another volume."""
    try:
        found = find_folder(place.path)
    except OSError:
        return Presence.AWAY
    if same_volume(stock, place, found):
        return Presence.HERE
    return Presence.OTHER if os.listdir(place.path) else Presence.AWAY


def presences(stock: Stock) -> dict[int, Presence]:
    """Tell of every place, by its number, whether it is here."""
    return {place.id: presence(stock, place) for place in stock.places.all()}


def find_place(stock: Stock, name: str) -> Place:
    """Return the place with a label or path; raise UnusableInput if there is none."""
    path = os.path.realpath(os.fsencode(name))
    for place in stock.places.all():
        if place.label == name or place.path in (path, os.fsencode(name)):
            return place
    raise UnusableInput(f"no place is called {visible(name)}", "see foldkeep places")


def named_folder(stock: Stock, word: str) -> bytes:
    """Return the folder that is meant: the top of the place with this label, or a folder in a place.

    Raises UnusableInput if it is neither.
    """
    places = stock.places.all()
    path = os.path.realpath(os.fsencode(word))
    top = next((place.path for place in places if place.label == word), path)
    if not any(top == place.path or lies_below(top, place.path) for place in places):
        raise UnusableInput(
            f"{visible(word)} is no place and no folder in one", "scan it first, or see foldkeep places"
        )
    return top


def same_volume(stock: Stock, place: Place, found: Found) -> bool:
    """Tell whether what is found at a place is on the volume that the stock knows."""
    return stock.places.volumes()[place.volume].key == found.volume.key


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
        known place goes.
    """
    resolved = os.path.realpath(path)
    try:
        found = find_folder(resolved)
    except OSError as error:
        raise UnusableInput(
            f"cannot scan {visible(path)}: {reason_of(error)}", "name a folder that is there and readable"
        ) from error
    if lies_in_a_fold(resolved):
        raise UnusableInput(f"cannot scan {visible(path)}: it lies in a fold", "name the place above it")
    known = _known(stock, resolved, found)
    if known and presence(stock, known) is Presence.AWAY:
        raise UnusableInput(
            f"the drive of {visible(path)} is away: the folder is there, but empty and on another volume",
            "connect the drive; or forget the place with: foldkeep places --forget " + visible(path),
        )
    with stock.transaction():
        volume = stock.places.volume(found.volume.key, found.volume.name)
        if known is None:
            label = visible(os.path.basename(resolved)) or "/"
            known = stock.places.add(resolved, role or Role.WORKING, label, volume, found.inode)
        place = replace(
            known,
            role=role or known.role,
            volume=volume,
            inode=found.inode,
            below=below_mount(resolved, found.volume),
            asked=frozenset(word for word in ASKABLE if (asked or {}).get(word, word in known.asked)),
        )
        stock.places.change(place)
    return place


def below_mount(path: bytes, volume: VolumeFacts) -> bytes:
    """Return the path of a folder below where its volume is mounted; empty at the top."""
    below = os.path.relpath(path, volume.mount)
    return b"" if below == b"." else below


def follow_drives(stock: Stock) -> list[tuple[bytes, bytes]]:
    """Find places that are away and whose volume is mounted at another path, and have all that is known be true there.

    Returns where each was and where it is now. Most of its files must be there. Where two volumes say that they are the
    same, one of them is a copy of the other: neither is taken for the place.
    """
    known = stock.places.volumes()
    away = [place for place in stock.places.all() if place.below is not None and presence(stock, place) is not _HERE]
    mounts: dict[str, dict[int, list[bytes]]] = {}
    for device, facts in mounted_volumes() if away else ():
        mounts.setdefault(facts.key, {}).setdefault(device, []).append(facts.mount)
    found: list[tuple[bytes, bytes]] = []
    for place in sorted(away, key=lambda place: len(place.path)):
        place = stock.places.by_id()[place.id]  # one around it may have been followed already
        if presence(stock, place) is _HERE:
            continue
        devices = mounts.get(known[place.volume].key, {})
        paths = {
            os.path.normpath(os.path.join(mount, place.below or b"")) for each in devices.values() for mount in each
        }
        there = sorted((path for path in paths if os.path.isdir(path)), key=len)
        taken = {other.path for other in stock.places.all()}
        if len(devices) == 1 and there and there[0] not in taken and _looks_like(stock, place, there[0]):
            with stock.transaction():
                stock.places.relocate(place, there[0])
            found.append((place.path, there[0]))
    return found


def _looks_like(stock: Stock, place: Place, path: bytes) -> bool:
    """Tell whether most of what is known of a place is in another folder, by name and size."""
    sample = stock.files.sample(place.id, _SAMPLE)
    there = 0
    for known, size, *_ in sample:
        with suppress(OSError):
            there += facts_at(path + known[len(place.path) :]).st_size == size
    return 2 * there > len(sample)


def _known(stock: Stock, path: bytes, found: Found) -> Place | None:
    """Return the place that a folder is, by its path or else by the folder itself."""
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
