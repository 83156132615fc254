"""Where the space goes: by folder, kind, suffix, age, year, place, volume or owner."""

import time
from collections import Counter, defaultdict
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from typing import NamedTuple

from foldkeep.model import Filter, PathBytes, Place, Volume
from foldkeep.model.kinds import OTHER, suffix_of
from foldkeep.model.names import folders_above, innermost
from foldkeep.model.remote import Quota, is_remote, server_of
from foldkeep.scan import Presence, presences
from foldkeep.scan.on_disk import is_bare, room_on
from foldkeep.stock import Stock, Sum

GROUPINGS = ("folder", "kind", "suffix", "age", "year", "place", "volume", "owner")
"""What the space can be told by."""

LEAST_FREE = 0.15
"""The part of a volume that should be free: below it, file systems slow down and editors run out of room."""

AGES = ("under a month", "1 to 6 months", "6 to 12 months", "1 to 2 years", "2 to 5 years", "over 5 years")
"""Names of the groups by age, the youngest first."""

_AGE_DAYS = (30.44, 182.6, 365.25, 730.5, 1826.25)
_OTHERS_SHOWN = 8


class Part(NamedTuple):
    """Files that have something in common, and the space that they take.

    Attributes
    ----------
    name
        What they have in common, as text; for a folder its last step.
    files, bytes
        How many names, and the sum of their sizes.
    disk
        What they take on their volumes: hard links and clones once, holes not at all.
    depth
        How many other parts this one lies in.
    path
        Of a folder; else None.
    """

    name: str | PathBytes
    files: int
    bytes: int
    disk: int
    depth: int = 0
    path: PathBytes | None = None


class VolumeSpace(NamedTuple):
    """Free space of a volume.

    Attributes
    ----------
    total, free
        Bytes; free is what a user without privileges may still write.
    too_much
        Bytes that must go until `LEAST_FREE` of it is free.
    """

    volume: Volume
    total: int
    free: int

    @property
    def too_much(self) -> int:
        """Bytes that must go until enough is free; 0 if enough is."""
        return max(0, round(self.total * LEAST_FREE) - self.free)


class ServerSpace(NamedTuple):
    """What a server said of the space at a place, when that was last scanned.

    Attributes
    ----------
    known
        Bytes of the user's own files that the stock knows on the server. What is taken beyond that lies outside of the
        places, or in earlier versions, or in a bin that the server keeps.
    """

    place: Place
    quota: Quota
    known: int

    @property
    def unknown(self) -> int:
        """Bytes that are taken by what the stock does not know."""
        return max(0, (self.quota.used or 0) - self.known)


@dataclass
class Usage:
    """The answer: parts, the largest first and what lies in a part right after it, and all of them together."""

    parts: list[Part] = field(default_factory=list)
    total: Part = field(default_factory=lambda: Part("in all", 0, 0, 0))


def volume_spaces(stock: Stock) -> list[VolumeSpace]:
    """Return how full each volume is that has a place which is here."""
    here = presences(stock)
    volumes = stock.places.volumes()
    found: dict[int, VolumeSpace] = {}
    for place in stock.places.all():
        if here[place.id] is Presence.HERE and place.volume not in found:
            found[place.volume] = VolumeSpace(volumes[place.volume], *room_on(place.path))
    return list(found.values())


def server_spaces(stock: Stock) -> list[ServerSpace]:
    """Return what servers said of the space at places."""
    sizes, quotas = stock.places.own_sizes(), stock.places.quotas()
    remote = [place for place in stock.places.all() if is_remote(place.path)]
    known: Counter[bytes] = Counter()
    for place in remote:
        known[server_of(place.path)] += sizes.get(place.id, 0)
    return [
        ServerSpace(place, quotas[place.id], known[server_of(place.path)]) for place in remote if place.id in quotas
    ]


def space(stock: Stock, by: str = "folder", wanted: Filter | None = None, *, depth: int = 1) -> Usage:
    """Sum up the files that fit.

    Parameters
    ----------
    by
        One of `GROUPINGS`.
    wanted
        Which files; by folder, only what lies in its folders `under` is opened, or else in every place.
    depth
        By folder, how many levels are told apart.
    """
    wanted = wanted or Filter()
    if by == "folder":
        return _by_folder(stock, wanted, depth)
    return _by_word(stock, by, wanted)


def _by_word(stock: Stock, by: str, wanted: Filter) -> Usage:
    grouping = {"age": "day", "year": "day", "suffix": "end"}.get(by, by)
    name_of = _names(stock, by)
    sums: dict[str, _Figures] = defaultdict(_Figures)
    for each in stock.listing.sums(grouping, wanted):
        sums[name_of(each.key)].add(each)
    parts = [figures.part(name) for name, figures in sums.items()]
    total = _total(parts)
    if by == "age":
        parts.sort(key=lambda part: AGES.index(str(part.name)))
    elif by == "year":
        parts.sort(key=lambda part: part.name)
    else:
        parts.sort(key=lambda part: (-part.bytes, str(part.name)))
    if by == "kind":
        parts = list(_with_suffixes(stock, parts, wanted))
    return Usage(parts, total)


def _names(stock: Stock, by: str) -> Callable[[str | int | bytes], str]:
    """Return how a group of the stock is called for a person."""
    if by == "place":
        labels = {place.id: place.label for place in stock.places.all()}
        return lambda key: labels[int(key)]
    if by == "volume":
        volumes = stock.places.volumes()
        return lambda key: volumes[int(key)].name
    if by == "age":
        return age_of()
    if by == "year":
        epoch = datetime(1970, 1, 1, tzinfo=UTC)
        return lambda key: str((epoch + timedelta(days=int(key))).year)
    if by == "suffix":
        return lambda key: suffix_of(bytes(key)) or "without suffix"  # type: ignore[arg-type]
    return str


def age_of() -> Callable[[str | int | bytes], str]:
    """Return a function that tells the group of `AGES` of a day, counted since the epoch."""
    today = time.time() / 86_400
    return lambda day: AGES[sum(today - int(day) >= days for days in _AGE_DAYS)]


def _with_suffixes(stock: Stock, parts: list[Part], wanted: Filter) -> Iterable[Part]:
    """Yield parts by kind; what is of no known kind is told apart by suffix."""
    for part in parts:
        yield part
        if part.name == OTHER:
            found = _by_word(stock, "suffix", wanted._replace(kinds=(OTHER,))).parts
            yield from (each._replace(depth=1) for each in found[:_OTHERS_SHOWN])
            if len(found) > _OTHERS_SHOWN:
                yield _total(found[_OTHERS_SHOWN:])._replace(name="all other suffixes", depth=1)


def _by_folder(stock: Stock, wanted: Filter, depth: int) -> Usage:
    tops = wanted.under or tuple(place.path for place in stock.places.all())
    paths = stock.listing.folders()
    figures: dict[bytes, _Figures] = defaultdict(_Figures)
    direct: dict[bytes, _Figures] = defaultdict(_Figures)
    home: dict[bytes, bytes] = {}
    for each in stock.listing.sums("folder", wanted):
        path = paths[int(each.key)]
        top = innermost(tops, path, itself=True) or path
        direct[path].add(each)
        for folder in (path, *folders_above(path)):
            figures[folder].add(each)
            home[folder] = top
            if folder == top:
                break
    below: dict[bytes, list[bytes]] = defaultdict(list)
    for folder, top in home.items():
        if folder != top:
            below[folder.rpartition(b"/")[0] or b"/"].append(folder)
    answer = Usage()

    def open_up(folder: bytes, level: int) -> None:
        inside = sorted(below[folder], key=lambda path: (-figures[path].bytes, path))
        for path in inside:
            answer.parts.append(figures[path].part(path.rpartition(b"/")[2], level, path))
            if level + 1 < depth:
                open_up(path, level + 1)
        if inside and folder in direct:
            answer.parts.append(direct[folder].part("directly in it", level, folder))

    shown = sorted((top for top in set(tops) if home.get(top) == top), key=lambda top: (-figures[top].bytes, top))
    answer.total = _total(figures[top] for top in shown)
    for top in shown:
        if len(shown) > 1 or not below[top]:
            answer.parts.append(figures[top].part(top, 0, top))
        if depth > 1 or len(shown) == 1:
            open_up(top, int(len(shown) > 1))
    return answer


@dataclass(slots=True)
class _Figures:
    files: int = 0
    bytes: int = 0
    disk: int = 0

    def add(self, more: "Sum | Part | _Figures") -> None:
        self.files += more.files
        self.bytes += more.bytes
        self.disk += more.disk

    def part(self, name: str | PathBytes, depth: int = 0, path: PathBytes | None = None) -> Part:
        return Part(name, self.files, self.bytes, self.disk, depth, path)


def _total(parts: "Iterable[Part | _Figures]") -> Part:
    figures = _Figures()
    for part in parts:
        figures.add(part)
    return figures.part("in all")


def empty_folders(stock: Stock, wanted: Filter) -> list[bytes]:
    """Return the folders in which nothing lies, as the disk shows them; on a drive that is away, as the scan did.

    What a scan passes by keeps a folder from being empty, but on a drive that is away nobody can see that. Only
    `under`, `not_under`, `places` and `roles` of the filter count.
    """
    asked = stock.sets.fitting_folders(wanted)
    tops = {place.path for place in stock.places.all()}
    return [path for path in stock.listing.bare_folders() if path in asked - tops and is_bare(path)]
