"""Prints that differ in few bits: found by bands of bits that agree, and then counted.

Two prints of one picture differ in few of their bits, and least in those of its lowest frequencies; so nearly always
at least one of the bands that they are cut into agrees as a whole. Only prints that share a band are compared.
"""

from collections.abc import Iterator
from typing import Any

BANDS = 16
"""Parts of a print that are looked up, 16 bits each."""

_MOST_OF_ONE = 400  # prints that share a band; where more do, it tells nothing
_AT_ONCE = 65_536  # what a processor's own cache holds
_KEYS = 1 << 16
_FEW = 32  # prints that are compared with all one by one


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

    if len(asked) <= _FEW:
        yield from _one_by_one(asked, known, most)
        return
    if len(known) <= _FEW:
        yield from ((here, there, bits) for there, here, bits in _one_by_one(known, asked, most))
        return
    asked_keys, known_keys = asked.view(np.uint16), known.view(np.uint16)
    for band in range(BANDS):
        # In order of their keys all that is compared lies side by side, which is ten times as fast as going to and fro.
        known_order = np.argsort(known_keys[:, band], kind="stable")
        asked_order = known_order if asked is known else np.argsort(asked_keys[:, band], kind="stable")
        counts = np.bincount(known_keys[:, band], minlength=_KEYS)
        starts = np.cumsum(counts) - counts
        counts[counts > _MOST_OF_ONE] = 0
        keys = asked_keys[asked_order, band]
        first, number = starts[keys], counts[keys]
        ends = np.cumsum(number)
        asked_side, known_side = asked[asked_order].T.copy(), known[known_order].T.copy()
        start = 0
        while start < len(number):
            before = int(ends[start - 1]) if start else 0
            stop = max(start + 1, int(np.searchsorted(ends, before + _AT_ONCE, "right")))
            part = asked_side[:, start:stop], known_side
            here, there, bits = _within(part, first[start:stop], number[start:stop], most)
            if len(here):
                yield asked_order[here + start], known_order[there], bits
            start = stop


def _one_by_one(asked: Any, known: Any, most: int) -> Iterator[tuple[Any, Any, Any]]:
    """Yield what `near_pairs` does, each pair once, of few prints that are asked for: nothing has to be sorted."""
    import numpy as np

    keys = known.view(np.uint16)
    telling = [np.bincount(keys[:, band], minlength=_KEYS) <= _MOST_OF_ONE for band in range(BANDS)]
    for number, each in enumerate(asked):
        bits = np.zeros(len(known), np.uint16)
        for word, its in enumerate(each):
            bits += np.bitwise_count(known[:, word] ^ its)
        there = np.flatnonzero(bits <= most)
        own = each.view(np.uint16)
        tells = np.array([telling[band][own[band]] for band in range(BANDS)])
        there = there[((keys[there] == own) & tells).any(axis=1)]
        if len(there):
            yield np.full(len(there), number), there, bits[there]


def _within(sides: tuple[Any, Any], first: Any, number: Any, most: int) -> tuple[Any, Any, Any]:
    """Count the bits of the candidates of some of the prints that are asked for; those that differ in few are returned.

    Parameters
    ----------
    sides
        Words of the prints that are asked for and of those that are known, in order of their keys, a row for each word.
    first, number
        Where the candidates of each print begin, and how many there are.
    """
    import numpy as np

    total = int(number.sum())
    here = np.repeat(np.arange(len(number)), number)
    there = np.arange(total) + np.repeat(first - (np.cumsum(number) - number), number)
    asked, known = sides
    bits = np.zeros(total, np.uint16)
    for word in range(len(asked)):
        bits += np.bitwise_count(asked[word, here] ^ known[word, there])
        if word == 1:  # half of the bits tell nearly always
            near = bits <= most
            here, there, bits = here[near], there[near], bits[near]
    near = bits <= most
    return here[near], there[near], bits[near]
