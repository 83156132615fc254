"""Prints that differ in few bits: found by bands of bits that agree, and then counted.

Two prints of one picture differ in few of their bits, and least in those of its lowest frequencies; so nearly always
at least one of the bands that they are cut into agrees as a whole. Only prints that share a band are compared.
"""

from collections.abc import Iterator
from typing import Any

BANDS = 16
"""Parts of a print that are looked up, 16 bits each."""

_MOST_OF_ONE = 400  # prints that share a band; where more do, it tells nothing
_AT_ONCE = 2_000_000


def near_pairs(asked: Any, known: Any, most: int) -> Iterator[tuple[Any, Any, Any]]:
    """Yield pairs of prints that differ in at most so many bits: numbers in `asked`, in `known`, and bits.

    Parameters
    ----------
    asked, known
        Prints, an array of unsigned 64-bit numbers with one row of four for each.
    most
        How many bits a pair may differ in.
    """
    import numpy as np

    asked_keys, known_keys = asked.view(np.uint16), known.view(np.uint16)
    for band in range(BANDS):
        order = np.argsort(known_keys[:, band], kind="stable")
        keys = known_keys[order, band]
        first = np.searchsorted(keys, asked_keys[:, band], "left")
        number = np.searchsorted(keys, asked_keys[:, band], "right") - first
        number[number > _MOST_OF_ONE] = 0
        ends = np.cumsum(number)
        start = 0
        while start < len(number):
            before = int(ends[start - 1]) if start else 0
            stop = max(start + 1, int(np.searchsorted(ends, before + _AT_ONCE, "right")))
            yield from _within(asked, known, order, (first, number), (start, stop), most)
            start = stop


def _within(
    asked: Any, known: Any, order: Any, found: tuple[Any, Any], part: tuple[int, int], most: int
) -> Iterator[tuple[Any, Any, Any]]:
    """Count the bits of the candidates of some of the prints that are asked for."""
    import numpy as np

    first, number = (each[part[0] : part[1]] for each in found)
    total = int(number.sum())
    if not total:
        return
    here = np.repeat(np.arange(part[0], part[1]), number)
    within = np.arange(total) - np.repeat(np.cumsum(number) - number, number)
    there = order[np.repeat(first, number) + within]
    bits = np.zeros(total, np.uint16)
    for word in range(asked.shape[1]):
        bits += np.bitwise_count(asked[here, word] ^ known[there, word])
    near = bits <= most
    if near.any():
        yield here[near], there[near], bits[near]
