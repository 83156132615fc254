"""Whether all of a file is accounted for: as essence, as words, or as what holds both together."""

from collections.abc import Iterable

from .parts import NoEssence, Source, Stretch

MOST_UNKNOWN = 64 * 1024


def check_covered(source: Source, known: Iterable[Stretch]) -> None:
    """Raise NoEssence if bytes that nothing points to are more than a little, or other than zeros."""
    end, left = 0, MOST_UNKNOWN
    for offset, length in (*sorted(known), Stretch(source.size, 0)):
        if offset > end:
            left -= offset - end
            if left < 0 or source.read(end, offset - end).strip(b"\0"):
                raise NoEssence("it has something in it that nothing tells of")
        end = max(end, offset + length)
    if end > source.size:
        raise NoEssence("it ends too early")
