"""Every content of the stock by where it lies: once, on one disk, on several; in packages; in the cupboard."""

import os
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cache
from itertools import groupby
from operator import itemgetter
from typing import NamedTuple

from foldkeep.model import Filter, PathBytes, Role, StockFile, UnusableInput, visible
from foldkeep.model.disks import NEVER_KNOWN, Disks, count_apart, count_most
from foldkeep.model.kinds import kind_of_all
from foldkeep.model.names import innermost
from foldkeep.model.remote import is_remote, server_of
from foldkeep.model.spelling import advice_for
from foldkeep.model.volumes import is_lasting_key
from foldkeep.model.work import many_rows
from foldkeep.scan import places_here
from foldkeep.scan.disks import DisksOfFiles
from foldkeep.stock import Archived, Checked, CheckResult, Stock
from foldkeep.storage import storage_at

from .inventories import contents_of

_AT_ONCE = 500
_KEPT = 10_000  # contents that are sorted at a time where few are to be listed


class Standing(StrEnum):
    """Ways in which a content is covered, by volumes and by disks."""

    ONCE = "once"
    ONE_VOLUME = "one volume"  # several times, and no safer for that
    SEVERAL = "several volumes"
    ONE_DISK = "one disk"
    NOT_KNOWN = "not known"  # on several volumes, of which it is not known that they are on several disks
    SEVERAL_DISKS = "several disks"


BY_VOLUMES = (Standing.ONCE, Standing.ONE_VOLUME, Standing.SEVERAL)
BY_DISKS = (Standing.ONCE, Standing.ONE_DISK, Standing.NOT_KNOWN, Standing.SEVERAL_DISKS)


class Holder(NamedTuple):
    """What holds contents and counts as one: a volume of places, that of a package, or a drive in an inventory.

    Attributes
    ----------
    name
        What a person knows it by.
    what
        ``volume``, ``package`` or ``inventory``.
    when_ns
        When that was found: the last check of a package, the saving of an inventory; None of a volume.
    """

    name: str
    what: str
    when_ns: int | None = None


@dataclass(frozen=True, slots=True)
class Counted:
    """Contents counted: how many, and the bytes of one copy of each."""

    contents: int = 0
    bytes: int = 0

    def __add__(self, other: "Counted") -> "Counted":
        return Counted(self.contents + other.contents, self.bytes + other.bytes)


class Content(NamedTuple):
    """A content with where it lies; a tuple, since there may be millions.

    Attributes
    ----------
    digest
        Empty where it was never read whole; then `number` has it.
    holders
        A bit for each of the holders that count.
    number
        The stock's number of a file that was never read whole; else 0.
    disks
        On how many disks it lies that are known to be apart; 1 at least, if anything holds it.
    """

    size: int
    digest: bytes
    holders: int
    number: int = 0
    disks: int = 0

    @property
    def on(self) -> int:
        """How many holders have it."""
        return self.holders.bit_count()

    @property
    def rank(self) -> tuple[int, bytes, int]:
        """By which contents are listed, the largest first."""
        return -self.size, self.digest, self.number


Standings = dict[Standing, Counted]


@dataclass
class Coverage:
    """The answer.

    Attributes
    ----------
    not_known
        Names of holders of which the disks are not known, and why.
    total
        By standing.
    kinds, places
        By standing, for each kind, and for each place that a content lies in.
    second_role
        Contents on several disks, one of them that of a backup or an archive, or a package.
    packages, inventories
        Contents in packages, and in inventories.
    unread
        Contents that were not read whole, though a package or an inventory has a file of their size, perhaps theirs.
    damaged
        Files that are not counted, since they were found damaged.
    chosen
        The contents that were asked for.
    listed
        The largest of them.
    """

    holders: list[Holder]
    not_known: list[tuple[str, str]] = field(default_factory=list)
    total: Standings = field(default_factory=lambda: defaultdict(Counted))
    kinds: dict[str, Standings] = field(default_factory=lambda: defaultdict(lambda: defaultdict(Counted)))
    places: dict[int, Standings] = field(default_factory=lambda: defaultdict(lambda: defaultdict(Counted)))
    second_role: Counted = field(default_factory=Counted)
    packages: Counted = field(default_factory=Counted)
    inventories: Counted = field(default_factory=Counted)
    unread: Counted = field(default_factory=Counted)
    damaged: int = 0
    chosen: Counted = field(default_factory=Counted)
    listed: list[Content] = field(default_factory=list)

    @property
    def all(self) -> Counted:
        """All contents."""
        return sum((self.total[each] for each in BY_VOLUMES), start=Counted())


class Demand(NamedTuple):
    """What a content has to be on, or must not be, to be listed.

    Attributes
    ----------
    fewer_than, at_least
        Numbers of disks; None where nothing is asked.
    on
        Roles, labels of places, names or keys of volumes: only what lies there counts. All counts where empty.
    """

    fewer_than: int | None = None
    at_least: int | None = None
    on: tuple[str, ...] = ()

    @property
    def lists(self) -> bool:
        """Whether contents are to be listed."""
        return self.fewer_than is not None or self.at_least is not None

    def takes(self, number: int) -> bool:
        """Tell whether a content on so many disks is to be listed."""
        return (self.fewer_than is None or number < self.fewer_than) and (
            self.at_least is None or number >= self.at_least
        )


def check_on(stock: Stock, on: Sequence[str]) -> None:
    """Raise UnusableInput if a word names no role, place or volume."""
    labels = [place.label for place in stock.places.all()]
    volumes = [word for each in stock.places.volumes().values() for word in (each.key, each.name)]
    known = [*map(str, Role), *labels]
    for word in on:
        if word not in known and word not in volumes:
            advice = advice_for(visible(word), map(visible, known), f"there are {visible(', '.join(known))}")
            raise UnusableInput(f"{visible(word)} is no role, place or volume", advice)


class Holders:
    """The holders of a stock, each with a bit, and which of them count.

    Raises
    ------
    UnusableInput
        If `on` names no role, place or volume, or an inventory is no whole one.
    """

    def __init__(self, stock: Stock, on: Sequence[str] = (), inventories: Sequence[str] = ()) -> None:
        self._stock = stock
        self.places = stock.places.by_id()
        self._volumes = stock.places.volumes()
        self._disks_of = DisksOfFiles(stock)
        self._here = places_here(stock)
        self._disks: list[Disks] = []
        self._counts: dict[int, tuple[int, Standing]] = {}
        self._on = frozenset(on)
        self._bits: dict[str, int] = {}
        self.all: list[Holder] = []
        self.second = 0  # bits of those that are a backup or an archive
        self.packed: set[bytes] = set()
        self.shelved: set[bytes] = set()
        self.elsewhere: dict[bytes, int] = {}
        self.sizes: set[int] = set()
        check_on(stock, on)
        for place in self.places.values():
            if place.role is not Role.WORKING:
                self.second |= self.bit_of(place.id, place.volume)
        damaged = stock.checks.of(Checked.PACKAGE, [CheckResult.DAMAGED])
        for archive in stock.archives.all():
            if archive.key.encode() not in damaged:
                self._add_package(archive)
        for path in inventories:
            self._add_inventory(path)

    def bit_of(self, place: int, volume: int) -> int:
        """Return the bit of the volume that a file of a place lies on; 0 if that does not count."""
        known, at = self._volumes[volume], self.places[place]
        if self._on and self._on.isdisjoint((str(at.role), at.label, known.key, known.name)):
            return 0
        disks = self._disks_of.of_place(at, volume, is_here=place in self._here)
        return self._bit(known.key, Holder(known.name, "volume"), disks)

    def count(self, mask: int) -> tuple[int, Standing]:
        """Return on how many disks a content lies by the bits of its holders, and how it stands if not there once.

        What is held at all is on one disk at least.
        """
        if mask not in self._counts:
            disks = [each for at, each in enumerate(self._disks) if mask >> at & 1]
            apart = count_apart(disks)
            less = Standing.NOT_KNOWN if count_most(disks) > 1 else Standing.ONE_DISK
            self._counts[mask] = max(apart, mask > 0), Standing.SEVERAL_DISKS if apart > 1 else less
        return self._counts[mask]

    def not_known(self) -> list[tuple[str, str]]:
        """Return the names of the holders of which the disks are not known, and why."""
        both = zip(self.all, self._disks, strict=True)
        return [(holder.name, disks.why) for holder, disks in both if disks.why]

    def _bit(self, key: str, holder: Holder, disks: Disks) -> int:
        if key not in self._bits:
            self._bits[key] = 1 << len(self._bits)
            self.all.append(holder)
            self._disks.append(disks)
        elif disks.keys:  # two places on one volume, of which something else is said
            at = self._bits[key].bit_length() - 1
            self._disks[at] = disks._replace(keys=disks.keys | self._disks[at].keys)
        return self._bits[key]

    def _add_package(self, archive: Archived) -> None:
        """Count a package on the volume that it lies on; all that are away count as on one."""
        key, names, disks = self._volume_of(archive.package)
        if self._on and self._on.isdisjoint((str(Role.ARCHIVE), *names)):
            return
        bit = self._bit(key, Holder(visible(archive.package), "package", archive.checked_ns), disks)
        self.second |= bit
        for file in self._stock.archives.files(archive.id):
            self.elsewhere[file.digest] = self.elsewhere.get(file.digest, 0) | bit
            self.packed.add(file.digest)
            self.sizes.add(file.size)

    def _volume_of(self, path: PathBytes) -> tuple[str, tuple[str, ...], Disks]:
        """Return the key of the volume of a package, the names that it is known by, and its disks."""
        at = {place.path: place for place in self.places.values()}
        top = innermost(at, path)
        if top is not None:
            place, known = at[top], self._volumes[at[top].volume]
            disks = self._disks_of.of_place(place, known.id, is_here=place.id in self._here)
            return known.key, (str(place.role), place.label, known.key, known.name), disks
        if is_remote(path):
            return f"server:{visible(server_of(path))}", (), self._disks_of.on_server(path)
        with suppress(OSError):
            device = os.stat(path).st_dev
            facts = storage_at(path).volume_of(os.path.dirname(path), device)
            return facts.key, (facts.key, facts.name), self._disks_of.now(path, device)
        return "away", (), NEVER_KNOWN

    def _add_inventory(self, path: str) -> None:
        for cupboard, digests in contents_of(path):
            if self._on and self._on.isdisjoint(
                (cupboard.role, cupboard.label, cupboard.volume_key, cupboard.volume_name)
            ):
                continue
            # The number of a device says nothing on another day; what has a name of its own is told by that.
            is_lasting = is_lasting_key(cupboard.volume_key)
            key = cupboard.volume_key if is_lasting else f"{cupboard.volume_key} in {path}"
            at_hand = (each.disks.remembered() for each in self._volumes.values() if each.key == key)
            disks = next((disks for disks in at_hand if not disks.why), cupboard.disks)
            holder = Holder(f"{cupboard.label} in {visible(path)}", "inventory", cupboard.saved_ns)
            bit = self._bit(key, holder, disks)
            if cupboard.role != Role.WORKING:
                self.second |= bit
            for digest in map(bytes.fromhex, digests):
                self.elsewhere[digest] = self.elsewhere.get(digest, 0) | bit
                self.shelved.add(digest)


@many_rows()
def coverage(
    stock: Stock,
    wanted: Filter | None = None,
    demand: Demand | None = None,
    inventories: Sequence[str] = (),
    most: int | None = None,
) -> Coverage:
    """Count the contents of a stock by where they lie, as the last scan saw them.

    Empty files have no content. Hard links and clones of one file are one file, names on one volume are no safer than
    one. A package counts as what it lies on; what waits in folds and bins counts as nothing.

    Parameters
    ----------
    wanted
        Only contents of which a file fits.
    inventories
        Of drives in the cupboard, which count as well.
    most
        How many contents are listed; all that were asked for when None.

    Raises
    ------
    UnusableInput
        If the demand names no role, place or volume, or an inventory is no whole one.
    """
    wanted, demand = wanted or Filter(), demand or Demand()
    holders = Holders(stock, demand.on, inventories)
    found = Coverage(holders.all, holders.not_known(), damaged=stock.holdings.damaged())
    chosen = _Chosen(demand, most)
    _count_read(stock, wanted, chosen, holders, found)
    _count_unread(stock, wanted, chosen, holders, found)
    found.chosen, found.listed = Counted(chosen.contents, chosen.bytes), chosen.largest()
    return found


class _Chosen:
    """Gathers the contents that were asked for: counts all of them, and keeps the largest."""

    def __init__(self, demand: Demand, most: int | None) -> None:
        self.lists = demand.lists
        self.takes = cache(demand.takes)
        self.contents = self.bytes = 0
        self.most = most
        self._kept: list[Content] = []

    def add(self, content: Content) -> None:
        """Take in a content that was asked for."""
        self.contents += 1
        self.bytes += content.size
        self._kept.append(content)
        if self.most is not None and len(self._kept) > 2 * self.most + _KEPT:
            self._kept = self.largest()

    def add_unread(self, counted: Counted, largest: Iterable[Content]) -> None:
        """Take in contents that were never read whole: how many there are, and the largest of them."""
        self.contents += counted.contents
        self.bytes += counted.bytes
        self._kept += largest

    def largest(self) -> list[Content]:
        """Return the largest of them, in their order."""
        return sorted(self._kept, key=_rank)[: self.most]


def _rank(content: Content) -> tuple[int, bytes, int]:
    return content.rank


def _count_read(stock: Stock, wanted: Filter, chosen: _Chosen, holders: Holders, found: Coverage) -> None:
    bits = _Bits(holders.bit_of)
    counts: dict[tuple[Standing, str, frozenset[int], int], list[int]] = {}
    elsewhere = holders.elsewhere
    one_copy = _OneCopy(stock, holders)
    is_far = one_copy.has_remote
    lists, takes = chosen.lists, chosen.takes
    alone = {place: frozenset((place,)) for place in holders.places}
    for digest, group in groupby(stock.holdings.read(wanted), key=_DIGEST):
        first = next(group)
        _, volume, inode, place, size, kind = first
        outside = elsewhere.get(digest, 0)
        mask, places, is_single = outside | bits[place, volume], alone[place], True
        rows = [first, *group] if is_far else group  # noqa: B031 - the rest of it
        for _, other, another, at, _, like in rows:
            if like != kind:
                kind = kind_of_all((kind, like))
            mask |= bits[at, other]
            is_single = is_single and another == inode and other == volume
            if at not in places:
                places |= alone[at]
        if is_far and mask & (mask - 1):
            mask, counting = one_copy[mask, places]
            is_single = len({row[1:3] for row in rows if row[3] in counting}) == 1
        if mask & (mask - 1):
            standing = Standing.SEVERAL
        else:
            standing = Standing.ONCE if is_single and not outside else Standing.ONE_VOLUME
        counted = counts.setdefault((standing, kind, places, mask), [0, 0])
        counted[0] += 1
        counted[1] += size
        if lists and takes(on := holders.count(mask)[0]):
            chosen.add(Content(size, digest, mask, 0, on))
        if outside:
            found.packages += Counted(digest in holders.packed, size * (digest in holders.packed))
            found.inventories += Counted(digest in holders.shelved, size * (digest in holders.shelved))
    for (standing, kind, places_of, mask), (number, size) in counts.items():
        _add(found, holders, standing, kind, places_of, mask, Counted(number, size))


_DIGEST = itemgetter(0)


class _Bits(dict[tuple[int, int], int]):
    """The bits of volumes by place and volume, asked for once each."""

    def __init__(self, bit_of: Callable[[int, int], int]) -> None:
        super().__init__()
        self._bit_of = bit_of

    def __missing__(self, key: tuple[int, int]) -> int:
        self[key] = bit = self._bit_of(*key)
        return bit


class _OneCopy(dict[tuple[int, frozenset[int]], tuple[int, frozenset[int]]]):
    """Which bits of holders, and which places with a content, count: of two that a program may keep alike but one."""

    def __init__(self, stock: Stock, holders: Holders) -> None:
        super().__init__()
        self._stock = stock
        self._holders = holders
        self._remote = {number: is_remote(place.path) for number, place in holders.places.items()}
        self.has_remote = any(self._remote.values())

    def __missing__(self, key: tuple[int, frozenset[int]]) -> tuple[int, frozenset[int]]:
        mask, places = key
        at, remote = self._holders.places, self._remote
        counting: list[int] = []
        for number in sorted(places, key=lambda number: (remote[number], number)):
            bit = self._holders.bit_of(number, at[number].volume)
            apart = all(self._stock.places.are_separate(at[number], at[other]) for other in counting)
            if bit and apart:
                counting.append(number)
            elif bit and remote[number]:
                mask &= ~bit
        for number in counting:
            mask |= self._holders.bit_of(number, at[number].volume)
        self[key] = found = mask, frozenset(counting)
        return found


def _count_unread(stock: Stock, wanted: Filter, chosen: _Chosen, holders: Holders, found: Coverage) -> None:
    bits = _Bits(holders.bit_of)
    sums = stock.holdings.unread(wanted)
    for each in sums:
        counted = Counted(each.files, each.bytes)
        mask = bits[each.place, each.volume]
        _add(found, holders, Standing.ONCE, each.kind, frozenset((each.place,)), mask, counted)
    if chosen.lists:
        asked = {at for at in bits if chosen.takes(bool(bits[at]))}
        chosen.add_unread(
            sum((Counted(each.files, each.bytes) for each in sums if (each.place, each.volume) in asked), Counted()),
            (
                Content(size, b"", bits[place, volume], number, bool(bits[place, volume]))
                for number, size, place, volume in stock.holdings.unread_files(wanted, asked, chosen.most)
            ),
        )
    if holders.sizes:
        found.unread = sum(
            (Counted(1, size) for _, size, *_ in stock.holdings.unread_files(wanted) if size in holders.sizes),
            Counted(),
        )


def _add(
    found: Coverage, holders: Holders, standing: Standing, kind: str, places: frozenset[int], mask: int,
    counted: Counted,
) -> None:  # fmt: skip
    by_disks = Standing.ONCE if standing is Standing.ONCE else holders.count(mask)[1]
    for standings in (found.total, found.kinds[kind], *(found.places[place] for place in places)):
        for each in {standing, by_disks}:
            standings[each] += counted
    if by_disks is Standing.SEVERAL_DISKS and mask & holders.second:
        found.second_role += counted


class Whereabouts(NamedTuple):
    """A listed content with its files, the packages that have it, and the inventories."""

    content: Content
    files: tuple[StockFile, ...]
    packages: tuple[Archived, ...] = ()
    inventories: tuple[Holder, ...] = ()

    @property
    def labels(self) -> list[str]:
        """The labels of the places that it lies in."""
        return sorted({file.place.label for file in self.files})

    @property
    def volumes(self) -> int:
        """On how many volumes of places it lies."""
        return len({file.volume for file in self.files})


def whereabouts(stock: Stock, found: Coverage, contents: Sequence[Content]) -> Iterator[Whereabouts]:
    """Yield contents with where they lie."""
    is_packed = bool(stock.archives.all())
    for at in range(0, len(contents), _AT_ONCE):
        part = contents[at : at + _AT_ONCE]
        unread = stock.holdings.numbered([content.number for content in part if not content.digest])
        read = stock.holdings.having([content.digest for content in part if content.digest])
        for content in part:
            if not content.digest:
                yield Whereabouts(content, (unread[content.number],))
                continue
            held = (holder for bit, holder in enumerate(found.holders) if content.holders >> bit & 1)
            packages = (archive for archive, _ in stock.archives.holding(content.digest)) if is_packed else ()
            yield Whereabouts(
                content,
                tuple(read[content.digest]),
                tuple(dict.fromkeys(packages)),
                tuple(holder for holder in held if holder.what == "inventory"),
            )
