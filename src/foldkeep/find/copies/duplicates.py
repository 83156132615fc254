"""Which files have the same content, and what could come free."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field

from blake3 import blake3

from foldkeep.model import CopySet, Filter, Place, Role, UnusableInput
from foldkeep.stock import CRITERIA, ORDERS, Members, Stock

_ID_DIGITS = 16


@dataclass(frozen=True, slots=True)
class Question:
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
    wanted: Filter = field(default_factory=Filter)


@dataclass(frozen=True, slots=True)
class Totals:
    """Sets counted: how many, their spares, and the bytes that come free when each keeps one file."""

    sets: int = 0
    spares: int = 0
    reclaimable: int = 0

    def __add__(self, other: "Totals") -> "Totals":
        return Totals(self.sets + other.sets, self.spares + other.spares, self.reclaimable + other.reclaimable)

    @classmethod
    def of(cls, parts: Iterable["Totals"]) -> "Totals":
        """Return the sum of totals."""
        return sum(parts, start=cls())


@dataclass(frozen=True, slots=True)
class Overview:
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
    """

    kinds: dict[str, Totals]
    places: list[tuple[Place, int, int]]
    empty_files: int
    backed_up: tuple[int, int]

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
        self._places = stock.places.by_id()
        present = sorted({place.role for place in self._places.values()}, reverse=True)
        roles = None if question.across else present
        self._several = len(present) > 1 and not question.across
        self._kinds = stock.sets.rank(roles, question.same, question.sort, question.wanted)

    def __len__(self) -> int:
        return sum(sets for sets, *_ in self._kinds.values())

    def overview(self) -> Overview:
        """Count the sets."""
        sets = self._stock.sets
        working = [number for number, place in self._places.items() if place.role is Role.WORKING]
        others = [number for number in self._places if number not in working]
        return Overview(
            {kind: Totals(*counts) for kind, counts in self._kinds.items()},
            [(self._places[number], *counts) for number, counts in sorted(sets.by_place().items())],
            sets.empty_files(),
            sets.backed_up(working, others) if self._several else (0, 0),
        )

    def sets(self, top: int | None = None, sidecars: bool | None = None) -> Iterator[CopySet]:
        """Yield the first `top` sets, or all, with their copies; of sidecars only, or of others only, if said."""
        for members in self._stock.sets.members(top, sidecars):
            yield self._set(members)

    def _set(self, members: Members) -> CopySet:
        digests = {file.digest for file in members.files}
        digest = digests.pop() if len(digests) == 1 else None
        elsewhere: list[str] = []
        if digest and self._several:
            having = [self._places[number] for number in self._stock.sets.places_of(digest)]
            elsewhere = sorted(place.label for place in having if place.role is not members.role)
        return CopySet(self._id(members), digest, tuple(members.files), members.reclaimable, tuple(elsewhere))

    def _id(self, members: Members) -> str:
        """Name a set by its content, and by what else was asked where that is not all."""
        question, first = self._question, members.files[0]
        if question.same == {"content"} and first.digest:
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
        return name if members.role in (None, Role.WORKING) else f"{name}-{members.role}"


def duplicates(stock: Stock, question: Question | None = None) -> Duplicates:
    """Find the sets of files that agree, as the last scan saw them.

    Empty files form no set, nor do the hard links of one file alone.

    Raises
    ------
    UnusableInput
        If the question names a criterion or an order that is not there.
    """
    return Duplicates(stock, question or Question())
