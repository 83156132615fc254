"""Taking the rest of a file, and rebuilding the file from it and a file with the same essence."""

from bisect import bisect_right
from collections.abc import Iterator
from itertools import accumulate

from foldkeep.formats.own import Piece, Rest

from .essence import Essence, contents, digest_of_essence, gaps
from .parts import NoEssence, Source, Stretch


def rest_of(essence: Essence, source: Source, digest: bytes) -> Rest:
    """Return the rest of a file whose content digest is given; raise NoEssence if it became shorter."""
    content = b"".join(contents(gaps(essence), source))
    offsets = [0, *accumulate(length for _, length in essence.stretches)]
    order = sorted(range(len(essence.stretches)), key=lambda number: essence.stretches[number].offset)
    pieces, end = [], 0
    for number in order:
        stretch = essence.stretches[number]
        pieces.append(Piece(stretch.offset - end, offsets[number], stretch.length))
        end = stretch.offset + stretch.length
    if end < essence.size:
        pieces.append(Piece(essence.size - end, offsets[-1], 0))
    return Rest(
        essence.kind, digest_of_essence(essence, source), essence.length, essence.size, digest, tuple(pieces), content
    )


def rebuilt(rest: Rest, essence: Essence, source: Source) -> Iterator[bytes]:
    """Yield the content of the file that a rest is of, from the essence of another, piece by piece.

    Whoever takes it must compare its digest with the one that the rest tells. Raises NoEssence if the other has an
    essence of another kind or length, or became shorter.
    """
    if (essence.kind, essence.length) != (rest.kind, rest.length):
        raise NoEssence("its essence is another")
    starts = [0, *accumulate(length for _, length in essence.stretches)]
    at = 0
    for piece in rest.pieces:
        yield rest.content[at : at + piece.rest]
        at += piece.rest
        yield from contents(_within(essence, starts, piece.offset, piece.length), source)


def _within(essence: Essence, starts: list[int], offset: int, length: int) -> Iterator[Stretch]:
    """Yield where in a file a part of its essence lies."""
    number = bisect_right(starts, offset) - 1
    while length:
        stretch, skipped = essence.stretches[number], offset - starts[number]
        taken = min(length, stretch.length - skipped)
        yield Stretch(stretch.offset + skipped, taken)
        offset, length, number = offset + taken, length - taken, number + 1
