"""Rectangles of given sizes that fill a rectangle, as square as they come (Bruls, Huizing and van Wijk, 2000)."""

from collections.abc import Generator, Iterator, Sequence
from typing import NamedTuple


class Box(NamedTuple):
    """A rectangle by its lower left corner and its sides."""

    x: float
    y: float
    width: float
    height: float

    def corners(self) -> list[tuple[float, float]]:
        """Return its corners, from the lower left one to the right and around."""
        right, top = self.x + self.width, self.y + self.height
        return [(self.x, self.y), (right, self.y), (right, top), (self.x, top)]

    def inside(self, margin: float, header: float) -> "Box":
        """Return what is left of it within a margin and below a header."""
        width, height = self.width - 2 * margin, self.height - 2 * margin - header
        return Box(self.x + margin, self.y + margin, max(0.0, width), max(0.0, height))


def squarified(sizes: Sequence[float], box: Box) -> Iterator[Box]:
    """Yield a rectangle for each of some sizes, which are above zero and the largest first; together they fill the box.

    Rectangles are laid in rows along the shorter side of what is left; a row takes the next one as long as that makes
    the longest of its rectangles no longer.
    """
    scale = box.width * box.height / sum(sizes) if sizes else 0.0
    areas = [size * scale for size in sizes]
    start = 0
    while start < len(areas):
        side = min(box.width, box.height)
        end, total = start + 1, areas[start]
        worst = _longest(areas[start], areas[start], total, side)
        while end < len(areas):
            longest = _longest(areas[start], areas[end], total + areas[end], side)
            if longest > worst:
                break
            worst, total, end = longest, total + areas[end], end + 1
        box = yield from _row(areas[start:end], total, box)
        start = end


def _longest(largest: float, smallest: float, total: float, side: float) -> float:
    """Return how many times longer than wide the longest rectangle of a row is; areas of it, and the side it fills."""
    return max(side * side * largest / (total * total), total * total / (side * side * smallest)) if side else 0.0


def _row(areas: Sequence[float], total: float, box: Box) -> Generator[Box, None, Box]:
    """Yield the rectangles of a row along the shorter side of a box, and return what is left of the box."""
    if box.width >= box.height:
        depth, at = (total / box.height if box.height else 0.0), box.y
        for area in areas:
            length = area / depth if depth else 0.0
            yield Box(box.x, at, depth, length)
            at += length
        return Box(box.x + depth, box.y, max(0.0, box.width - depth), box.height)
    depth, at = (total / box.width if box.width else 0.0), box.x
    for area in areas:
        length = area / depth if depth else 0.0
        yield Box(at, box.y, length, depth)
        at += length
    return Box(box.x, box.y + depth, box.width, max(0.0, box.height - depth))
