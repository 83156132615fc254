"""Whether two films show the same at the same moments: key frames of one against the very frames of the other.

Only the helper process of `foldkeep.signals.media_worker` comes here.
"""

from typing import Any, NamedTuple

from .film_prints import frame_print, opened_film, within_bars
from .media import undecodable

FRAMES = 12
"""How many moments are compared."""

SAME_BITS, VIEW_BITS = 52, 40
"""Bits in which prints of frames may differ that show the same, and from where on they are different views."""


_FEW = 3


class Agreement(NamedTuple):
    """How many of the frames that were compared agree, and how many different views are among these."""

    agreed: int
    compared: int
    views: int

    @classmethod
    def of(cls, words: str) -> "Agreement":
        """Return what was written as three numbers."""
        return cls(*map(int, words.split()))

    def __str__(self) -> str:
        return " ".join(map(str, tuple(self)))


def agreement(one: bytes, other: bytes, offset: float) -> Agreement:
    """Compare two films, of which the one begins at an offset, in seconds, in the other.

    Of what has no pictures, or cannot be decoded, nothing is compared. Raises OSError if the system does not let it
    be read.
    """
    try:
        found = _compared(one, other, offset)
        if found.compared >= _FEW:
            return found
        # Of one without key frames but its first, those of the other tell more.
        return max(found, _compared(other, one, -offset), key=lambda each: each.compared)
    except Exception as error:  # PyAV raises whatever a broken file leads it to
        undecodable(error)
        return Agreement(0, 0, 0)


def _compared(one: bytes, other: bytes, offset: float) -> Agreement:
    with opened_film(one) as mine, opened_film(other) as its:
        if mine is None or its is None:
            return Agreement(0, 0, 0)
        start, end = max(0.0, -offset), min(mine.seconds, its.seconds - offset)
        keys: dict[float, Any] = {}
        for number in range(FRAMES):
            found = mine.key_frame_before(start + (end - start) * (number + 0.5) / FRAMES)
            if found is not None and start <= found[0] < end:
                keys[found[0]] = found[1]
        around = {moment: [shades for _, shades in its.frames_around(moment + offset)] for moment in keys}
    around = {moment: frames for moment, frames in around.items() if frames}
    if not around:
        return Agreement(0, 0, 0)
    box = within_bars([keys[moment] for moment in around])
    its_box = within_bars([shades for frames in around.values() for shades in frames])
    compared, agreed = 0, list[bytes]()
    for moment, frames in around.items():
        wanted = frame_print(keys[moment], box)
        prints = [known for shades in frames if (known := frame_print(shades, its_box))]
        if wanted and prints:
            compared += 1
            agreed += [wanted] * (min(_bits_apart(wanted, each) for each in prints) <= SAME_BITS)
    return Agreement(len(agreed), compared, _views(agreed))


def _views(prints: list[bytes]) -> int:
    views: list[bytes] = []
    for each in prints:
        if all(_bits_apart(each, view) > VIEW_BITS for view in views):
            views.append(each)
    return len(views)


def _bits_apart(one: bytes, other: bytes) -> int:
    return (int.from_bytes(one) ^ int.from_bytes(other)).bit_count()
