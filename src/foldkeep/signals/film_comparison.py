"""Whether two films show the same at the same moments: key frames of one against the very frames of the other.

Only the helper process of `foldkeep.signals.media_worker` comes here.
"""

from typing import Any, NamedTuple

from .film_prints import boxes_of, frame_prints, opened_film
from .media import undecodable

FRAMES = 12
"""How many moments are compared."""


class FrameBits(NamedTuple):
    """Bits in which the prints of two frames differ: at most `same` where they show the same, `other` if they do not.

    Two frames of one film that differ by more than `view` are different views.
    """

    same: int = 52
    other: int = 90
    view: int = 40


BITS = FrameBits()
_FEW = 3


class Agreement(NamedTuple):
    """How many frames agree, how many agree or show something else, and how many views are among those that agree."""

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
    boxes = boxes_of([keys[moment] for moment in around])
    its_boxes = boxes_of([shades for frames in around.values() for shades in frames])
    others, agreed = 0, list[bytes]()
    for moment, frames in around.items():
        mine_prints = frame_prints(keys[moment], boxes)
        its_prints = [known for shades in frames for known in frame_prints(shades, its_boxes)]
        apart = min((_bits_apart(one, other) for one in mine_prints for other in its_prints), default=BITS.same + 1)
        if apart <= BITS.same:
            agreed.append(mine_prints[0])
        others += apart >= BITS.other
    return Agreement(len(agreed), len(agreed) + others, _views(agreed))


def _views(prints: list[bytes]) -> int:
    views: list[bytes] = []
    for each in prints:
        if all(_bits_apart(each, view) > BITS.view for view in views):
            views.append(each)
    return len(views)


def _bits_apart(one: bytes, other: bytes) -> int:
    return (int.from_bytes(one) ^ int.from_bytes(other)).bit_count()
