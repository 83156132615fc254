"""Prints that are near each other, as jobs that any machine can do: what is found is measured by who asked."""

from collections.abc import Callable
from concurrent.futures import Executor
from typing import Any, NamedTuple

from foldkeep.scan.workers import Call, Job, Workers
from foldkeep.signals import CUTS

from .layouts import prints_in
from .search import near_pairs

_WINDOW_BITS = 48
_WORDS = 4
_LEAST_PRINTS_A_SECOND = 2_000

Candidates = list[tuple[int, int, int]]
"""Pairs of prints: the row of each, and the bits in which they differ."""


class PrintTable(NamedTuple):
    """Prints of pictures, arrays as NumPy has them.

    Attributes
    ----------
    rows
        A print a row, of four unsigned numbers of 64 bits.
    picture
        The number of its picture, for each row.
    news
        Rows of new pictures.
    is_new
        Whether a picture is, by its number.
    """

    rows: Any
    picture: Any
    news: Any
    is_new: Any

    def shared(self, executor: Executor) -> Any:
        """Bring them to other machines if there are any; return what stands for them there."""
        return executor.share(self) if isinstance(executor, Workers) else self


class Search(Job[Candidates]):
    """A search for prints that are near others.

    Parameters
    ----------
    function
        `turned_candidates` or `window_candidates`.
    known
        What `prints.shared` returned.
    given
        What the function takes besides the prints.
    """

    def __init__(
        self, function: Callable[..., Candidates], prints: PrintTable, known: Any, given: tuple[Any, ...]
    ) -> None:
        self._function, self._prints, self._known, self._given = function, prints, known, given
        self.seconds += len(prints.rows) / _LEAST_PRINTS_A_SECOND

    def away(self) -> Call:
        """Return the search."""
        return Call(self._function, self._given, (self._known,))

    def here(self, found: Candidates | None = None) -> Candidates:
        """Search, if nobody has."""
        return self._function(self._prints, *self._given) if found is None else found


def turned_candidates(prints: PrintTable, layout: int, most: int) -> Candidates:
    """Return what is near others in a layout, in order of their rows; one of each pair at least is new."""
    turned, known, picture, news = prints_in(prints.rows, layout), prints.rows, prints.picture, prints.news
    sides: list[tuple[Any, Any, Any, Any]] = [(turned, known, None, None)]
    if len(news) < len(known):  # from both sides, since not every band that agrees does so turned
        sides = [(turned[news], known, news, None), (turned, known[news], None, news)]
    found: set[tuple[int, int, int]] = set()
    for asked, others, mine, its in sides:
        for here, there, bits in near_pairs(asked, others, most):
            ats, tos = (here if mine is None else mine[here]), (there if its is None else its[there])
            one, other = picture[ats], picture[tos]
            # Each pair comes from both sides; turned ones from either are one finding.
            kept = one != other if layout or mine is not None or its is not None else one > other
            found.update(zip(ats[kept].tolist(), tos[kept].tolist(), bits[kept].tolist(), strict=True))
    return sorted(found)


def window_candidates(prints: PrintTable, windows: bytes, first: int) -> Candidates:
    """Return prints that are near windows of pictures from number `first` on, whose prints are given in order."""
    import numpy as np

    rows = np.frombuffer(windows, np.uint64).reshape(-1, _WORDS)
    if not len(rows):
        return []
    owners = np.arange(len(rows)) // len(CUTS) + first
    found = _near(prints, prints.news, rows, np.arange(len(rows)), owners)
    if len(prints.news) < len(prints.rows):
        news = np.flatnonzero(prints.is_new[owners])
        if len(news):
            found += _near(prints, np.arange(len(prints.rows)), rows, news, owners)
    return found


def _near(prints: PrintTable, asked: Any, windows: Any, numbers: Any, owners: Any) -> Candidates:
    """Return which of the rows that are asked for are near windows, by number, of other pictures."""
    found: Candidates = []
    for here, there, bits in near_pairs(prints.rows[asked], windows[numbers], _WINDOW_BITS):
        at, to = asked[here], numbers[there]
        kept = prints.picture[at] != owners[to]
        found += zip(at[kept].tolist(), to[kept].tolist(), bits[kept].tolist(), strict=True)
    return found
