"""Rests: what of a file is no essence, by which it is rebuilt from any file with the same essence.

The form is our own and is told in docs/formats.md: a line of JSON, then, compressed with zlib (RFC 1950), how pieces of
the rest and of the essence follow one another and the bytes of the rest; last the BLAKE3 digest of all before it.
"""

import json
import zlib
from collections.abc import Iterable, Iterator
from typing import NamedTuple

from blake3 import blake3

from foldkeep.model import UnusableInput
from foldkeep.model.files import format_digest, parse_digest

FORMAT, VERSION = "foldkeep rest", 1
MOST_BYTES = 256 * 1024 * 1024
"""How many bytes a rest may have."""

_MOST_PIECES = 2_000_000
_LONGEST_NUMBER = 10  # bytes of a number of 64 bits, seven bits in each
_LONGEST_HEAD = 4096
_DIGEST = 32


class Piece(NamedTuple):
    """So many bytes of the rest, and then so many of the essence from an offset of that."""

    rest: int
    offset: int
    length: int


class Rest(NamedTuple):
    """Rest of a file.

    Attributes
    ----------
    kind, essence, length
        The kind, digest and length of the essence that it needs.
    size, digest
        Of the file that comes of both.
    pieces
        In the order in which they make the file.
    content
        The bytes of the rest, one behind the other.
    """

    kind: str
    essence: bytes
    length: int
    size: int
    digest: bytes
    pieces: tuple[Piece, ...]
    content: bytes


def written_rest(rest: Rest) -> bytes:
    """Return a rest as it is kept in a file."""
    head = {
        "format": FORMAT, "version": VERSION, "kind": rest.kind, "essence": format_digest(rest.essence),
        "length": rest.length, "size": rest.size, "digest": format_digest(rest.digest), "pieces": len(rest.pieces),
        "rest": len(rest.content),
    }  # fmt: skip
    body = b"".join(_number(value) for value in _steps(rest.pieces)) + rest.content
    whole = json.dumps(head).encode() + b"\n" + zlib.compress(body, 9)
    return whole + blake3(whole).digest()


def read_rest(content: bytes) -> Rest:
    """Return the rest that a file holds.

    Raises
    ------
    UnusableInput
        If it is damaged, or of a newer version.
    """
    whole, digest = content[:-_DIGEST], content[-_DIGEST:]
    line, _, packed = whole.partition(b"\n")
    try:
        if blake3(whole).digest() != digest or len(line) > _LONGEST_HEAD:
            raise ValueError
        head = json.loads(line)
        if head["format"] != FORMAT or head["version"] != VERSION:
            raise UnusableInput("a rest of another version of Fold Keep", "use a newer Fold Keep")
        count, length = int(head["pieces"]), int(head["rest"])
        if not 0 <= count <= _MOST_PIECES or not 0 <= length <= MOST_BYTES:
            raise ValueError
        body = zlib.decompressobj().decompress(packed, 3 * _LONGEST_NUMBER * count + length + 1)
        pieces, end = _pieces(body, count)
        found = Rest(
            str(head["kind"]), parse_digest(head["essence"]), int(head["length"]), int(head["size"]),
            parse_digest(head["digest"]), pieces, body[end:],
        )  # fmt: skip
        _check(found, length)
    except (ValueError, KeyError, TypeError, OverflowError, RecursionError, zlib.error) as error:
        raise UnusableInput("a rest that is damaged", "take it from a copy of the drive") from error
    return found


def _check(rest: Rest, length: int) -> None:
    """Raise ValueError unless the pieces make a file of its size."""
    if len(rest.content) != length or sum(piece.rest for piece in rest.pieces) != length:
        raise ValueError
    if any(piece.offset < 0 or piece.offset + piece.length > rest.length for piece in rest.pieces):
        raise ValueError
    if length + sum(piece.length for piece in rest.pieces) != rest.size:
        raise ValueError


def _steps(pieces: Iterable[Piece]) -> Iterator[int]:
    """Yield the pieces as numbers that are small where each begins where the one before it ended."""
    expected = 0
    for piece in pieces:
        ahead = piece.offset - expected
        yield piece.rest
        yield 2 * ahead if ahead >= 0 else -2 * ahead - 1
        yield piece.length
        expected = piece.offset + piece.length


def _pieces(body: bytes, count: int) -> tuple[tuple[Piece, ...], int]:
    """Return so many pieces from the beginning of a body, and where they end there."""
    at = expected = 0
    found: list[Piece] = []

    def taken() -> int:
        nonlocal at
        value = shift = 0
        while True:
            if at >= len(body) or shift > 63:
                raise ValueError
            byte = body[at]
            at += 1
            value |= (byte & 0x7F) << shift
            shift += 7
            if byte < 0x80:
                return value

    for _ in range(count):
        rest, ahead, length = taken(), taken(), taken()
        offset = expected + (-((ahead + 1) >> 1) if ahead & 1 else ahead >> 1)
        found.append(Piece(rest, offset, length))
        expected = offset + length
    return tuple(found), at


def _number(value: int) -> bytes:
    found = bytearray()
    while value >= 0x80:
        found.append(value & 0x7F | 0x80)
        value >>= 7
    found.append(value)
    return bytes(found)
