"""Pairs of photos that show the same: found by their prints, confirmed by their shades."""

import os
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from foldkeep.model import Progress, Step, no_progress
from foldkeep.signals import CUTS, SIDE
from foldkeep.stock import KnownPrint

from .layouts import LAYOUTS, WORDS, prints_in, shades_in
from .search import all_near, near_pairs

SURE_BITS, FAIR_BITS = 36, 52
"""Bits in which the prints of a pair may differ for it to be a strong one, and for it to be one at all."""

SURE_LIKE, FAIR_LIKE = 0.85, 0.70
"""Least correlation of the fine shades of a pair for it to be a strong one, and for it to be one at all."""

_WINDOW_BITS = 48
_WORDS = 4  # of 64 bits, that a print has
_BLUR = 4
_WINDOWS_AT_ONCE = 20_000  # photos whose windows are looked through at a time
_REMEMBERED = 4096


@dataclass(frozen=True, slots=True)
class Pair:
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
    """

    one: int
    other: int
    like: float
    bits: int
    layout: int = 0
    cut: tuple[float, float, float, float] | None = None

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
) -> list[Pair]:
    """Return the pairs of photos that show the same, each once, with what was measured.

    Parameters
    ----------
    parts, detail
        Return the prints of windows of a photo by its number, asked once of each; and its shades, asked only of photos
        whose prints are near another's.
    """
    import numpy as np

    if len(prints) < 2:
        return []
    shades = _Shades(detail)
    joined = np.frombuffer(b"".join(each.print for each in prints), np.uint64).reshape(-1, _WORDS)
    counts = [len(each.print) // (8 * _WORDS) for each in prints]
    picture = np.repeat(np.arange(len(prints)), counts)
    plane = np.concatenate([np.arange(count) for count in counts])
    found: dict[tuple[int, int], Pair] = {}

    def near(layout: int) -> tuple[Any, Any, Any]:
        # Each pair comes from both sides; turned ones from either are one finding.
        return all_near(
            prints_in(joined, layout), joined, FAIR_BITS,
            lambda here, there: picture[here] != picture[there] if layout else picture[here] > picture[there],
        )  # fmt: skip

    with ThreadPoolExecutor(os.cpu_count() or 1) as executor:  # NumPy lets others work meanwhile
        for layout, (here, there, bits) in enumerate(executor.map(near, range(LAYOUTS))):
            progress(Step("Comparing pictures", layout, LAYOUTS, "rounds"))
            for at, to, count in zip(here.tolist(), there.tolist(), bits.tolist(), strict=True):
                one, other = int(picture[at]), int(picture[to])
                mine = shades_in(shades.fine(one, int(plane[at])), layout)
                like = _like(mine, shades.fine(other, int(plane[to])))
                _note(found, Pair(one, other, like, count, layout))
    for start in range(0, len(prints), _WINDOWS_AT_ONCE):
        progress(Step("Comparing crops", start, len(prints), "files"))
        windows = [parts(number) for number in range(start, min(start + _WINDOWS_AT_ONCE, len(prints)))]
        _find_crops(windows, start, shades, (joined, picture, plane), found)
    return sorted(found.values(), key=lambda pair: (pair.one, pair.other))


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


def _find_crops(
    parts: Sequence[bytes],
    first: int,
    shades: _Shades,
    asked: tuple[Any, Any, Any],
    found: dict[tuple[int, int], Pair],
) -> None:
    """Find pictures that show a part of some, whose windows are given, from one number on.

    Parameters
    ----------
    asked
        Upright prints, with the numbers of the picture and of the plane of shades of each.
    """
    import numpy as np

    known, picture, plane = asked
    windows = np.frombuffer(b"".join(parts), np.uint64).reshape(-1, _WORDS)
    for here, there, bits in near_pairs(known, windows, _WINDOW_BITS):
        for at, to, count in zip(here.tolist(), there.tolist(), bits.tolist(), strict=True):
            one, (other, window) = int(picture[at]), divmod(to, len(CUTS))
            other += first
            if one == other or _is_whole(found, one, other):
                continue
            like = _like(shades.fine(one, int(plane[at])), shades.window(other, window))
            _note(found, Pair(one, other, like, count, 0, CUTS[window]))


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
