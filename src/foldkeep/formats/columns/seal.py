"""Seals of Parquet files: how one that was cut short or changed anywhere is told from a whole one.

The form is Apache Parquet, whose footer takes pairs of words of the writer's own. One of them holds the BLAKE3 digest
of all bytes of the file, with zeros in the place of the digest itself.
"""

import os
import struct
from typing import BinaryIO

from blake3 import blake3

SEAL_KEY, HEAD_KEY = "foldkeep.seal", "foldkeep.inventory"
"""The words under which the footer has the digest, and the JSON object that tells what the file is."""

EMPTY_SEAL = "0" * 64
"""What stands for the digest until the file is sealed."""

_MAGIC = b"PAR1"
_TAIL = struct.Struct("<I4s")  # the length of the footer, and the magic number
_LARGEST_FOOTER = 256 * 1024 * 1024
_AT_ONCE = 1024 * 1024
# Field 2 of the pair, a string of 64 bytes (Thrift compact protocol, in which footers are written).
_BEFORE = SEAL_KEY.encode() + b"\x18\x40"


def seal(file: BinaryIO) -> None:
    """Write the digest of a file into its footer; raise ValueError if that has no place for it."""
    at = _place_of_seal(file)
    digest = _digest(file, at)
    file.seek(at)
    file.write(digest)


def is_sealed(file: BinaryIO) -> bool:
    """Tell whether a file is as it was sealed; its position is at its beginning then."""
    try:
        at = _place_of_seal(file)
    except ValueError:
        return False
    digest = _digest(file, at)
    file.seek(at)
    told = file.read(len(EMPTY_SEAL))
    file.seek(0)
    return told == digest


def is_parquet(file: BinaryIO) -> bool:
    """Tell whether a file begins as Parquet does; its position is at its beginning then."""
    begins = file.read(len(_MAGIC)) == _MAGIC
    file.seek(0)
    return begins


def _place_of_seal(file: BinaryIO) -> int:
    """Return where in a file the digest stands; raise ValueError if it stands nowhere, or in two places."""
    size = file.seek(0, os.SEEK_END)
    if size < 2 * len(_MAGIC) + _TAIL.size:
        raise ValueError("it is too short")
    file.seek(size - _TAIL.size)
    length, magic = _TAIL.unpack(file.read(_TAIL.size))
    start = size - _TAIL.size - int(length)
    if magic != _MAGIC or start < len(_MAGIC) or length > _LARGEST_FOOTER:
        raise ValueError("it has no footer")
    file.seek(start)
    footer = file.read(length)
    at = footer.find(_BEFORE)
    end = at + len(_BEFORE) + len(EMPTY_SEAL)
    if at < 0 or footer.find(_BEFORE, at + 1) >= 0 or end > length:
        raise ValueError("it has no seal")
    return start + at + len(_BEFORE)


def _digest(file: BinaryIO, seal_at: int) -> bytes:
    """Return the digest of a file with zeros in the place of its seal, as hexadecimal digits."""
    hasher, position = blake3(), 0
    file.seek(0)
    while part := file.read(min(_AT_ONCE, seal_at - position) if position < seal_at else _AT_ONCE):
        if position == seal_at:
            part = EMPTY_SEAL.encode() + part[len(EMPTY_SEAL) :]
        hasher.update(part)
        position += len(part)
    return hasher.hexdigest().encode()
