"""Which files have the same content, and what could come free."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from foldkeep.model import CopySet, Role, StockFile
from foldkeep.stock import Stock

_ID_DIGITS = 10


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


def duplicates(stock: Stock, *, across: bool = False) -> Iterator[CopySet]:
    """Yield the sets of files that have one content, largest size first, as the last scan saw them.

    Empty files form no set, nor do the hard links of one file alone.

    Parameters
    ----------
    across
        Compare all places as one; otherwise a set's copies all lie in places of one role, since a copy
        on a backup is no spare.
    """
    if across:
        for files in stock.files.same_content():
            yield _set(files, "")
        return
    for role in Role:
        mark = "" if role is Role.WORKING else f"-{role}"
        for files in stock.files.same_content([role]):
            yield _set(files, mark)


def by_saving(sets: Iterator[CopySet]) -> list[CopySet]:
    """Return sets with the largest saving first; equal ones in order of their first path."""
    return sorted(sets, key=lambda found: (-found.reclaimable, found.copies[0].path))


def totals_by_kind(sets: list[CopySet]) -> dict[str, Totals]:
    """Return totals for each kind that there is, the largest saving first."""
    found: dict[str, Totals] = {}
    for one in sets:
        found[one.kind] = found.get(one.kind, Totals()) + Totals(1, one.spares, one.reclaimable)
    return dict(sorted(found.items(), key=lambda item: -item[1].reclaimable))


def _set(files: list[StockFile], mark: str) -> CopySet:
    digest = files[0].digest
    assert digest is not None  # noqa: S101 - the query asks for files with a digest
    return CopySet(f"s{digest.hex()[:_ID_DIGITS]}{mark}", digest, files[0].size, tuple(files))
