"""Pairs of photos that show the same: found by their prints, confirmed by their shades."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from foldkeep.model import Progress, Step, no_progress
from foldkeep.signals import CUTS, LAYOUTS, SIDE
from foldkeep.stock import KnownPrint

from .search import near_pairs

SURE_BITS, FAIR_BITS = 28, 44
"""Bits in which the prints of a pair may differ for it to be a strong one, and for it to be one at all."""

SURE_LIKE, FAIR_LIKE = 0.85, 0.70
"""Least correlation of the fine shades of a pair for it to be a strong one, and for it to be one at all."""

_WINDOW_BITS = 40
_WORDS = 4  # of 64 bits, that a print has
_BLUR = 4
_TURNS = (
    "", "mirrored", "upside down and mirrored", "upside down",
    "turned and mirrored", "turned left", "turned right", "turned and mirrored",
)  # fmt: skip


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
        How `one` is turned or mirrored against `other`, see `foldkeep.signals.photo_prints`.
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
        return _TURNS[self.layout]


def like_pictures(prints: Sequence[KnownPrint], progress: Progress = no_progress) -> list[Pair]:
    """Return the pairs of photos that show the same, each once, with what was measured."""
    import numpy as np

    if len(prints) < 2:
        return []
    whole, plane, layout = _whole_prints(prints)
    shades = np.frombuffer(b"".join(each.detail for each in prints), np.uint8).reshape(-1, SIDE, SIDE)
    picture = np.repeat(np.arange(len(prints)), [len(each.detail) // SIDE**2 for each in prints])
    fine = np.stack([_fine(each) for each in shades.astype(np.float32)])
    upright = layout == 0
    progress(Step("Comparing pictures", 0, 2, "rounds"))
    found: dict[tuple[int, int], Pair] = {}
    known, home = whole[upright], plane[upright]
    for here, there, bits in near_pairs(whole, known, FAIR_BITS):
        for at, to, count in zip(here.tolist(), there.tolist(), bits.tolist(), strict=True):
            mine, its, turned = int(plane[at]), int(home[to]), int(layout[at])
            one, other = int(picture[mine]), int(picture[its])
            # Each pair comes from both sides; turned ones from either are one finding.
            if one <= other if not turned else one == other:
                continue
            _note(found, Pair(one, other, _like(_laid(fine[mine], turned), fine[its]), count, turned))
    progress(Step("Comparing pictures", 1, 2, "rounds"))
    first = np.searchsorted(picture, np.arange(len(prints)))
    _find_crops(prints, shades[first], fine, (known, picture[home], home), found)
    progress(Step("Comparing pictures", 2, 2, "rounds"))
    return sorted(found.values(), key=lambda pair: (pair.one, pair.other))


def _whole_prints(prints: Sequence[KnownPrint]) -> tuple[Any, Any, Any]:
    """Return all prints of whole pictures, with the number of the plane of shades and the layout of each."""
    import numpy as np

    joined = np.frombuffer(b"".join(each.print for each in prints), np.uint64).reshape(-1, _WORDS)
    number = np.arange(len(joined))
    return joined, number // LAYOUTS, number % LAYOUTS


def _find_crops(
    prints: Sequence[KnownPrint],
    shades: Any,
    fine: Any,
    asked: tuple[Any, Any, Any],
    found: dict[tuple[int, int], Pair],
) -> None:
    """Find pictures that show a part of others.

    Parameters
    ----------
    shades
        Of each whole picture.
    asked
        Upright prints, with the numbers of the picture and of the plane of shades of each.
    """
    import numpy as np

    known, home, plane = asked

    windows = np.frombuffer(b"".join(each.parts for each in prints), np.uint64).reshape(-1, _WORDS)
    for here, there, bits in near_pairs(known, windows, _WINDOW_BITS):
        for at, to, count in zip(here.tolist(), there.tolist(), bits.tolist(), strict=True):
            one, (other, window) = int(home[at]), divmod(to, len(CUTS))
            if one == other or ((min(one, other), max(one, other)) in found and _is_whole(found, one, other)):
                continue
            part = _fine(_window(shades[other], CUTS[window]))
            _note(found, Pair(one, other, _like(fine[int(plane[at])], part), count, 0, CUTS[window]))


def _is_whole(found: dict[tuple[int, int], Pair], one: int, other: int) -> bool:
    """Tell whether a pair is known to agree as a whole at least as well as any part of it could."""
    pair = found[min(one, other), max(one, other)]
    return pair.cut is None and pair.is_strong


def _note(found: dict[tuple[int, int], Pair], pair: Pair) -> None:
    if pair.like < FAIR_LIKE:
        return
    key = (min(pair.one, pair.other), max(pair.one, pair.other))
    known = found.get(key)
    if known is None or (pair.like, -pair.bits) > (known.like, -known.bits):
        found[key] = pair


def _laid(shades: Any, layout: int) -> Any:
    """Return shades in a layout, as `_layouts` of the prints has them."""
    turned = shades.T if layout & 4 else shades
    turned = turned[::-1] if layout & 2 else turned
    return turned[:, ::-1] if layout & 1 else turned


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
