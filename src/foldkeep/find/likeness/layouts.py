"""The ways in which a picture can be turned and mirrored, told of its print and of its shades alike.

Number 4 exchanges rows and columns, then 2 turns upside down, then 1 mirrors.
"""

from functools import lru_cache
from typing import Any

from foldkeep.signals import ORDER

LAYOUTS = 8
"""How many there are; 0 is upright."""

WORDS = (
    "", "mirrored", "upside down and mirrored", "upside down",
    "turned and mirrored", "turned left", "turned right", "turned and mirrored",
)  # fmt: skip
"""What each is called."""


def opposite(layout: int) -> int:
    """Return how the other picture is turned against the one that is turned so against it.

    >>> [opposite(layout) for layout in range(LAYOUTS)]
    [0, 1, 2, 3, 4, 6, 5, 7]
    """
    return 4 | (layout & 1) << 1 | (layout & 2) >> 1 if layout & 4 else layout


def prints_in(prints: Any, layout: int) -> Any:
    """Return the prints of pictures in a layout.

    Mirroring changes the sign of each coefficient of an odd row or column; turning exchanges rows and columns.

    Parameters
    ----------
    prints
        Upright ones, an array of unsigned 64-bit numbers with one row of four for each.
    """
    import numpy as np

    if not layout:
        return prints
    places, mask = _changes(layout)
    found = np.empty_like(prints)
    for start in range(0, len(prints), 65_536):
        bits = np.unpackbits(prints[start : start + 65_536].view(np.uint8), axis=1)
        found[start : start + 65_536] = np.ascontiguousarray(np.packbits(bits[:, places] ^ mask, axis=1)).view(
            np.uint64
        )
    return found


def shades_in(shades: Any, layout: int) -> Any:
    """Return the shades of a picture, rows of columns, in a layout."""
    turned = shades.T if layout & 4 else shades
    turned = turned[::-1] if layout & 2 else turned
    return turned[:, ::-1] if layout & 1 else turned


@lru_cache(LAYOUTS)
def _changes(layout: int) -> tuple[Any, Any]:
    """Return where each bit of a print comes from in a layout, and which bits change."""
    import numpy as np

    where = {spot: at for at, spot in enumerate(ORDER)}
    places = [where[(column, row)] if layout & 4 else where[row, column] for row, column in ORDER]
    mask = [(row & (layout >> 1) ^ column & layout) & 1 for row, column in ORDER]
    return np.array(places), np.array(mask, np.uint8)
