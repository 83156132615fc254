"""Pairs of sounds that are one recording: found by words of their prints, confirmed by the bits of all of them."""

import math
from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple

from foldkeep.model import Progress, Step, no_progress
from foldkeep.signals import SECONDS_A_WORD
from foldkeep.stock import KnownPrint

SURE_ERRORS, FAIR_ERRORS = 0.25, 0.30
"""Part of the bits that may differ where two sounds are one, for that to be sure, and for it to be told at all."""

LEAST_SECONDS = 8.0
"""Shortest part that two sounds must share."""

_LEAST_VOTES = 3
_MOST_OF_ONE = 24  # sounds that share a word; what very many have tells nothing
_THINNED = 2  # one word in so many is looked up, and of very many sounds fewer
_MOST_WORDS = 20_000_000
_SMOOTH = round(4 / SECONDS_A_WORD)


class SoundPair(NamedTuple):
    """Two sounds that share a recording.

    Attributes
    ----------
    like
        Part of the bits that agree where they are one, up to 1.
    offset
        Seconds at which `one` begins in `other`; negative if it begins before that.
    shared
        Seconds that they have in common.
    """

    one: int
    other: int
    like: float
    offset: float
    shared: float

    @property
    def is_strong(self) -> bool:
        """Tell whether the prints leave no doubt."""
        return 1 - self.like <= SURE_ERRORS


def like_sounds(prints: Sequence[KnownPrint], progress: Progress = no_progress) -> list[SoundPair]:
    """Return the pairs of sounds that share a recording, each once, with where and for how long."""
    import numpy as np

    words = [np.frombuffer(each.print, "<u4") for each in prints]
    found: list[SoundPair] = []
    candidates = list(_candidates(words))
    for number, (one, other, offset) in enumerate(candidates):
        if number % 64 == 0:
            progress(Step("Comparing sounds", number, len(candidates), "pairs"))
        pair = _confirmed(one, other, words[one], words[other], offset)
        if pair is not None:
            found.append(pair)
    return found


def one_sound_at(one: int, other: int, prints: Sequence[bytes], offset: float, within: float) -> SoundPair | None:
    """Return how two sounds share a recording at an offset, or so many seconds beside it; None if they do not."""
    import numpy as np

    mine, its = (np.frombuffer(prints[number], "<u4") for number in (one, other))
    beside = math.ceil(within / SECONDS_A_WORD)
    return _confirmed(one, other, mine, its, round(offset / SECONDS_A_WORD), beside)


def _candidates(words: Sequence[Any]) -> Iterator[tuple[int, int, int]]:
    """Yield pairs of sounds with the offset, in words, that most of their common words agree in."""
    import numpy as np

    if len(words) < 2:
        return
    thinned = _THINNED
    while sum(map(len, words)) > thinned * _MOST_WORDS:
        thinned *= 2
    parts = [(each[at], np.full(len(at), number, np.int32), at) for number, each in enumerate(words)
             if len(at := _telling(each, thinned))]  # fmt: skip
    if not parts:
        return
    word, owner, at = (np.concatenate(columns) for columns in zip(*parts, strict=True))
    order = np.lexsort((at, owner, word))
    word, owner, at = word[order], owner[order], at[order]
    _, inverse, number = np.unique(word, return_inverse=True, return_counts=True)
    telling = number[inverse] <= _MOST_OF_ONE
    word, owner, at = word[telling], owner[telling], at[telling]
    votes: list[Any] = []
    span = int(at.max(initial=0)) + 1
    for step in range(1, min(_MOST_OF_ONE, len(word))):
        same = (word[step:] == word[:-step]) & (owner[step:] != owner[:-step])
        one, other = owner[:-step][same], owner[step:][same]
        pair = one.astype(np.int64) * len(words) + other
        votes.append(pair * (2 * span) + (at[step:][same] - at[:-step][same] + span))
    if not votes:
        return
    keys, counts = np.unique(np.concatenate(votes), return_counts=True)
    best: dict[int, tuple[int, int]] = {}
    for key, count in zip(keys[counts >= _LEAST_VOTES].tolist(), counts[counts >= _LEAST_VOTES].tolist(), strict=True):
        pair, offset = divmod(key, 2 * span)
        if count > best.get(pair, (0, 0))[0]:
            best[pair] = (count, offset - span)
    for pair, (_, offset) in best.items():
        one, other = divmod(pair, len(words))
        yield one, other, offset


def _telling(words: Any, thinned: int) -> Any:
    """Return where the words are that are looked up: by the word alone, so that both sounds of a pair keep the same.

    Words of silence tell nothing.
    """
    import numpy as np

    kept = (((words * np.uint32(2654435769)) >> np.uint32(16)) % np.uint32(thinned) == 0) & (words != 0)
    return np.flatnonzero(kept).astype(np.int32)


def _confirmed(one: int, other: int, mine: Any, its: Any, offset: int, beside: int = 1) -> SoundPair | None:
    """Compare two prints at an offset, and at those beside it; None if they do not share a recording there."""
    import numpy as np

    best: SoundPair | None = None
    for shift in range(offset - beside, offset + beside + 1):
        start, end = max(0, -shift), min(len(mine), len(its) - shift)
        if (end - start) * SECONDS_A_WORD < LEAST_SECONDS:
            continue
        errors = np.bitwise_count(mine[start:end] ^ its[start + shift : end + shift]) / 32
        first, last = _longest_run(errors)
        seconds = (last - first) * SECONDS_A_WORD
        if seconds < LEAST_SECONDS:
            continue
        wrong = float(errors[first:last].mean())
        if wrong <= FAIR_ERRORS and (best is None or 1 - wrong > best.like):
            best = SoundPair(one, other, 1 - wrong, shift * SECONDS_A_WORD, seconds)
    return best


def _longest_run(errors: Any) -> tuple[int, int]:
    """Return where the longest stretch begins and ends in which, within a few seconds each, few bits differ."""
    import numpy as np

    size = min(_SMOOTH, len(errors))
    padded = np.concatenate([[0.0], errors.cumsum()])
    smooth = (padded[size:] - padded[:-size]) / size
    good = np.concatenate([[False], smooth <= FAIR_ERRORS, [False]]).astype(np.int8)
    edges = np.flatnonzero(np.diff(good))
    if not len(edges):
        return 0, 0
    starts, ends = edges[::2], edges[1::2]
    longest = int((ends - starts).argmax())
    return int(starts[longest]), int(ends[longest]) + size - 1
