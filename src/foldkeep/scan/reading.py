"""Reading contents: the ends of a file, or the whole of it, into a BLAKE3 digest."""

import os
import stat
from dataclasses import dataclass

from blake3 import blake3

from foldkeep.model import reason_of
from foldkeep.stock import Reading

from .opening import FILE, open_path

END_BLOCK = 8 * 1024
"""Bytes read at each end of a file before it is worth reading whole."""

READ_BUFFER = 1024 * 1024


class Changed(Exception):
    """The file is not, or no longer, the one that was listed."""


@dataclass(frozen=True, slots=True)
class Outcome:
    """What came of reading a file: `ends` or `digest`, or the problem in words."""

    reading: Reading
    read_bytes: int = 0
    ends: bytes | None = None
    digest: bytes | None = None
    problem: str | None = None


def read_ends(reading: Reading) -> Outcome:
    """Read the first and last block of a file; a file no longer than that is read whole."""
    if reading.size <= 2 * END_BLOCK:
        return read_whole(reading)
    try:
        descriptor = _open_same(reading)
        try:
            first = os.pread(descriptor, END_BLOCK, 0)
            last = os.pread(descriptor, END_BLOCK, reading.size - END_BLOCK)
            _check_same(descriptor, reading)
        finally:
            os.close(descriptor)
    except (OSError, Changed) as error:
        return Outcome(reading, problem=_words(error))
    # Half a digest is enough here: equal ends only decide what is read whole.
    return Outcome(reading, len(first) + len(last), ends=blake3(first + last).digest(16))


def read_whole(reading: Reading) -> Outcome:
    """Read a whole file."""
    try:
        descriptor = _open_same(reading)
        try:
            digest, count = digest_of(descriptor, reading.size)
            _check_same(descriptor, reading)
        finally:
            os.close(descriptor)
    except (OSError, Changed) as error:
        return Outcome(reading, problem=_words(error))
    return Outcome(reading, count, digest=digest)


def digest_of(descriptor: int, size: int) -> tuple[bytes, int]:
    """Return the BLAKE3 digest of an open file from where it stands, and how many bytes that were.

    Reading stops after `size` bytes and one more, so that a file that grows without end does end here.
    """
    hasher = blake3()
    buffer = memoryview(bytearray(min(READ_BUFFER, size + 1)))
    count = 0
    while count <= size and (got := os.readv(descriptor, [buffer])):
        hasher.update(buffer[:got])
        count += got
    return hasher.digest(), count


def _open_same(reading: Reading) -> int:
    descriptor = open_path(reading.path, FILE)
    try:
        _check_same(descriptor, reading)
    except BaseException:
        os.close(descriptor)
        raise
    return descriptor


def _check_same(descriptor: int, reading: Reading) -> None:
    facts = os.fstat(descriptor)
    now = (facts.st_ino, facts.st_size, facts.st_mtime_ns)
    if not stat.S_ISREG(facts.st_mode) or now != (reading.inode, reading.size, reading.modified_ns):
        raise Changed


def _words(error: OSError | Changed) -> str:
    return reason_of(error) if isinstance(error, OSError) else "changed during the scan; scan again"
