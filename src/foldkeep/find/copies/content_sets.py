"""Which files have the same content, and what could come free."""

from collections.abc import Iterable, Iterator
from typing import NamedTuple

from blake3 import blake3

from foldkeep.model import CopySet, Filter, Place, UnusableInput
from foldkeep.stock import CRITERIA, ORDERS, Members, Stock

from .place_groups import Others, PlaceGroups

_ID_DIGITS = 16


class Question(NamedTuple):
    """Question for sets of copies.

    Attributes
    ----------
    across
        Compare all places as one; else those of each role among themselves, since a copy on a backup is no
        spare.
    same
        What copies must agree in, of ``content``, ``name``, ``size``, ``modified``.
    sort
        ``saving``, ``size``, ``count`` or ``name``.
    wanted
        Only sets of which at least one copy fits.
    """

    across: bool = False
    same: frozenset[str] = frozenset({"content"})
    sort: str = "saving"
    wanted: Filter = Filter()


class Totals(NamedTuple):
    """Sets counted: how many, their spares, and the bytes that come free when each keeps one file."""

    sets: int = 0
    spares: int = 0
    reclaimable: int = 0

    @classmethod
    def of(cls, parts: Iterable["Totals"]) -> "Totals":
        """Return the sum of totals."""
        return cls(*(sum(column) for column in zip(*parts, strict=True)))


class Overview(NamedTuple):
    """Sets counted, without looking at each.

    Attributes
    ----------
    kinds
        Totals for each kind, the largest saving first.
    places
        For each place with copies: how many names of the sets lie there, and their bytes.
    empty_files
        Names of empty files in the stock, which form no set.
    backed_up
        Contents of working places that lie in a place of another role too, and the bytes of one copy of each.
    mirrored
        Contents that lie in two places that a program may keep alike, and the bytes of one copy of each.
    unsure
        Two such places; None if there are none.
    """

    kinds: dict[str, Totals]
    places: list[tuple[Place, int, int]]
    empty_files: int
    backed_up: tuple[int, int]
    mirrored: tuple[int, int] = (0, 0)
    unsure: tuple[Place, Place] | None = None

    @property
    def totals(self) -> Totals:
        """Return the totals of all kinds."""
        return Totals.of(self.kinds.values())


class Duplicates:
    """The answer to a question: an overview, and the sets in the order asked for.

    It reads the stock while it is used, and one stock answers one such question at a time.
    """

    def __init__(self, stock: Stock, question: Question) -> None:
        unknown = question.same - CRITERIA.keys()
        if unknown or not question.same:
            raise UnusableInput(
                f"copies cannot be the same in {', '.join(sorted(unknown)) or 'nothing'}",
                f"there are {', '.join(CRITERIA)}, essence, decoded",
            )
        if question.sort not in ORDERS:
            raise UnusableInput(f"sets cannot be sorted by {question.sort}", f"there are {', '.join(ORDERS)}")
        self._stock = stock
        self._question = question
        self._by_content = "content" in question.same
        self.groups = PlaceGroups(stock, across=question.across)
        places = [group.places for group in self.groups]
        self._kinds = stock.sets.rank(places, question.same, question.sort, question.wanted)

    def __len__(self) -> int:
        return sum(sets for sets, *_ in self._kinds.values())

    def overview(self) -> Overview:
        """Count the sets."""
        sets = self._stock.sets
        return Overview(
            {kind: Totals(*counts) for kind, counts in self._kinds.items()},
            [(self.groups.places[number], *counts) for number, counts in sorted(sets.by_place().items())],
            sets.empty_files(self._question.wanted),
            (0, 0) if self._question.across else sets.on_both_sides(self.groups.second_sides(), self._question.wanted),
            sets.on_both_sides(self.groups.unsure_sides(), self._question.wanted),
            self.groups.unsure_pair(),
        )

    def sets(self, top: int | None = None, sidecars: bool | None = None) -> Iterator[CopySet]:
        """Yield the first `top` sets, or all, with their copies; of sidecars only, or of others only, if said."""
        for members in self._stock.sets.members(top, sidecars):
            yield self._set(members)

    def _set(self, members: Members) -> CopySet:
        digest = members.files[0].digest
        if not self._by_content and any(file.digest != digest for file in members.files):
            digest = None
        others = Others()
        if digest and len(self.groups) > 1:
            places = {file.place.id for file in members.files}
            others = self.groups.others(self._stock.sets.places_of(digest), places, self.groups[members.group])
        return CopySet(
            self._id(members), digest, tuple(members.files), members.reclaimable, others.backed_up, others.mirrored
        )

    def _id(self, members: Members) -> str:
        """Name a set by its content, and by what else was asked where that is not all."""
        question, first = self._question, members.files[0]
        if self._by_content and len(question.same) == 1 and first.digest:
            name = "s" + first.digest.hex()[:_ID_DIGITS]
        else:
            values = {
                "content": first.digest,
                "name": first.path.rpartition(b"/")[2],
                "size": first.size,
                "modified": first.modified_ns,
            }
            key = repr(sorted((word, values[word]) for word in question.same)).encode()
            name = "m" + blake3(key).hexdigest()[:_ID_DIGITS]
        return name + self.groups[members.group].suffix


def duplicates(stock: Stock, question: Question | None = None) -> Duplicates:
    """Find the sets of files that agree, as the last scan saw them.

    Empty files form no set, nor do the hard links of one file alone.

    Raises
    ------
    UnusableInput
        If the question names a criterion or an order that is not there.
    """
    return Duplicates(stock, question or Question())
