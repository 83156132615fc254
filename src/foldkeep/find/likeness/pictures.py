"""Pairs of photos that show the same: found by their prints, confirmed by their shades."""

import os
from collections.abc import Callable, Collection, Iterator, Sequence
from concurrent.futures import Executor, ThreadPoolExecutor
from contextlib import nullcontext
from functools import lru_cache
from typing import Any, NamedTuple

from foldkeep.model import Progress, Step, no_progress
from foldkeep.scan.workers import Workers, in_turn
from foldkeep.signals import CUTS, SIDE
from foldkeep.stock import KnownPrint

from .candidates import Candidates, PrintTable, Search, turned_candidates, window_candidates
from .layouts import LAYOUTS, WORDS, shades_in

SEARCH = 2
"""The version of this search; a higher one compares all again."""

SURE_BITS, FAIR_BITS = 36, 52
"""Bits in which the prints of a pair may differ for it to be a strong one, and for it to be one at all."""

SURE_LIKE, FAIR_LIKE = 0.85, 0.70
"""Least correlation of the fine shades of a pair for it to be a strong one, and for it to be one at all."""

_WORDS = 4  # of 64 bits, that a print has
_BLUR = 4
_WINDOWS_AT_ONCE = 20_000  # photos whose windows are looked through at a time
_REMEMBERED = 4096
_AT_ONCE = os.cpu_count() or 1


class Pair(NamedTuple):
    """Two pictures that show the same.

    Attributes
    ----------
    one, other
        Their numbers; of a crop, `one` shows a part of `other`.
    like
        Correlation of their fine shades, up to 1.
    bits
        In which their prints differ.
    layout
        How `one` is turned or mirrored against `other`, see `layouts`.
    cut
        Of a crop, the part of `other` that is missing at the left, top, right and bottom; else None.
    within
        Whether what was compared is what lies within a border: of `one`, and of `other`.
    """

    one: int
    other: int
    like: float
    bits: int
    layout: int = 0
    cut: tuple[float, float, float, float] | None = None
    within: tuple[bool, bool] = (False, False)

    def written(self) -> str:
        """Return what was measured as a line of text."""
        borders = "".join("-b"[border] for border in self.within)
        return " ".join(map(str, (repr(self.like), self.bits, self.layout, borders, *(self.cut or ()))))

    @classmethod
    def read(cls, one: int, other: int, text: str) -> "Pair":
        """Return a pair with what was measured, as `written` wrote it."""
        like, bits, layout, borders, *cut = text.split()
        left_top_right_bottom = tuple(map(float, cut)) or None
        within = borders[0] == "b", borders[1] == "b"
        return cls(one, other, float(like), int(bits), int(layout), left_top_right_bottom, within)  # type: ignore[arg-type]

    @property
    def is_strong(self) -> bool:
        """Tell whether prints and shades leave no doubt."""
        return self.bits <= SURE_BITS and self.like >= SURE_LIKE

    @property
    def turn(self) -> str:
        """How the one is turned against the other, in words; empty if it is not."""
        return WORDS[self.layout]


def like_pictures(
    prints: Sequence[KnownPrint],
    parts: Callable[[int], bytes],
    detail: Callable[[int], bytes],
    progress: Progress = no_progress,
    new: Collection[int] | None = None,
    workers: Workers | None = None,
) -> list[Pair]:
    """Return the pairs of photos that show the same, each once, with what was measured.

    Parameters
    ----------
    parts, detail
        Return the prints of windows of a photo by its number, asked once of each; and its shades, asked only of photos
        whose prints are near another's.
    new
        Numbers of photos, one of which each pair has at least; any pair if None.
    workers
        Other machines that look for prints that are near, too.
    """
    if len(prints) < 2 or (new is not None and not new):
        return []
    # NumPy lets others work meanwhile.
    with nullcontext(workers) if workers else ThreadPoolExecutor(_AT_ONCE) as executor:
        search = _Search(prints, detail, new, executor)
        search.compare_whole(progress)
        search.compare_windows(parts, progress)
    return sorted(search.found.values(), key=lambda pair: (pair.one, pair.other))


class _Search:
    """Photos by their prints, of the whole and of what lies within a border, and the pairs that were found.

    Parameters
    ----------
    new
        As of `like_pictures`.
    """

    def __init__(
        self,
        prints: Sequence[KnownPrint],
        detail: Callable[[int], bytes],
        new: Collection[int] | None,
        executor: Executor,
    ) -> None:
        import numpy as np

        self.found: dict[tuple[int, int], Pair] = {}
        self._shades = _Shades(detail)
        rows = np.frombuffer(b"".join(each.print for each in prints), np.uint64).reshape(-1, _WORDS)
        counts = [len(each.print) // (8 * _WORDS) for each in prints]
        self._picture = np.repeat(np.arange(len(prints)), counts)
        self._plane = np.concatenate([np.arange(count) for count in counts])
        is_new = np.ones(len(prints), bool)
        if new is not None:
            is_new[:] = False
            is_new[list(new)] = True
        news = np.flatnonzero(is_new[self._picture])
        self._known = PrintTable(rows, self._picture, news, is_new)
        self._executor, self._shared = executor, self._known.shared(executor)

    def _search(self, function: Callable[..., Candidates], *given: Any) -> Search:
        return Search(function, self._known, self._shared, given)

    def compare_whole(self, progress: Progress) -> None:
        """Compare all prints in each layout."""
        jobs = (self._search(turned_candidates, layout, FAIR_BITS) for layout in range(LAYOUTS))
        for layout, found in enumerate(in_turn(self._executor, jobs, _AT_ONCE)):
            progress(Step("Comparing pictures", layout, LAYOUTS, "rounds"))
            for at, to, bits in found:
                one, other = int(self._picture[at]), int(self._picture[to])
                planes = int(self._plane[at]), int(self._plane[to])
                mine = shades_in(self._shades.fine(one, planes[0]), layout)
                like = _like(mine, self._shades.fine(other, planes[1]))
                within = planes[0] > 0, planes[1] > 0
                _note(self.found, Pair(one, other, like, bits, layout, within=within))

    def compare_windows(self, parts: Callable[[int], bytes], progress: Progress) -> None:
        """Find the pictures that show a part of some."""
        number = len(self._known.is_new)
        starts = range(0, number, _WINDOWS_AT_ONCE)

        def jobs() -> Iterator[Search]:
            for start in starts:
                windows = b"".join(parts(each) for each in range(start, min(start + _WINDOWS_AT_ONCE, number)))
                yield self._search(window_candidates, windows, start)

        # Each takes 200 MB of memory here, so one at a time; workers have their own.
        for start, found in zip(starts, in_turn(self._executor, jobs(), 1), strict=True):
            progress(Step("Comparing crops", start, number, "files"))
            self._note_crops(found, start)

    def _note_crops(self, found: Sequence[tuple[int, int, int]], first: int) -> None:
        for at, to, count in found:
            one, (other, window) = int(self._picture[at]), divmod(to, len(CUTS))
            other += first
            if _is_whole(self.found, one, other):
                continue
            plane = int(self._plane[at])
            like = _like(self._shades.fine(one, plane), self._shades.window(other, window))
            _note(self.found, Pair(one, other, like, count, 0, CUTS[window], (plane > 0, False)))


class _Shades:
    """Fine shades of pictures and windows, made when they are asked for; the last ones are remembered."""

    def __init__(self, detail: Callable[[int], bytes]) -> None:
        self.fine = lru_cache(_REMEMBERED)(self._fine)
        self.window = lru_cache(_REMEMBERED)(self._window)
        self._planes = lru_cache(_REMEMBERED)(detail)

    def _plane(self, number: int, plane: int) -> Any:
        import numpy as np

        planes = np.frombuffer(self._planes(number), np.uint8).reshape(-1, SIDE, SIDE)
        return planes[plane].astype(np.float32)

    def _fine(self, number: int, plane: int) -> Any:
        return _fine(self._plane(number, plane))

    def _window(self, number: int, window: int) -> Any:
        return _fine(_window(self._plane(number, 0), CUTS[window]))


def _is_whole(found: dict[tuple[int, int], Pair], one: int, other: int) -> bool:
    """Tell whether a pair is known to agree as a whole at least as well as any part of it could."""
    pair = found.get((min(one, other), max(one, other)))
    return pair is not None and pair.cut is None and pair.is_strong


def _note(found: dict[tuple[int, int], Pair], pair: Pair) -> None:
    if pair.like < FAIR_LIKE:
        return
    key = (min(pair.one, pair.other), max(pair.one, pair.other))
    known = found.get(key)
    if known is None or (pair.like, -pair.bits) > (known.like, -known.bits):
        found[key] = pair


def _window(shades: Any, cut: tuple[float, float, float, float]) -> Any:
    import numpy as np
    from PIL import Image

    left, top, right, bottom = cut
    box = (left * SIDE, top * SIDE, (1 - right) * SIDE, (1 - bottom) * SIDE)
    image = Image.fromarray(shades.astype(np.float32))
    return np.asarray(image.resize((SIDE, SIDE), Image.Resampling.BICUBIC, box), np.float32)


def _fine(shades: Any) -> Any:
    """Return what is left of shades without their coarse ones, of length 1."""
    import numpy as np

    size = 2 * _BLUR + 1
    padded = np.pad(shades, _BLUR, mode="reflect").astype(np.float64)
    sums = np.pad(padded.cumsum(0).cumsum(1), ((1, 0), (1, 0)))
    coarse = (sums[size:, size:] - sums[:-size, size:] - sums[size:, :-size] + sums[:-size, :-size]) / size**2
    fine = shades - coarse
    fine = fine - fine.mean()
    return (fine / (np.sqrt((fine * fine).sum()) or 1)).astype(np.float32)


def _like(one: Any, other: Any) -> float:
    return float((one * other).sum())
