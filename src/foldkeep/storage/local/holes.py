"""Holes in files: where they are, and writing a file that has them again."""

import errno
import os
from collections.abc import Iterator

from foldkeep.model.files import BLOCK_BYTES

BLOCK = 4096
"""The size in bytes that nearly all file systems allocate in."""

_MOST_RANGES = 20_000

Ranges = tuple[tuple[int, int], ...]
"""Starts and lengths in bytes of what is no hole, in order."""


def has_holes(facts: os.stat_result) -> bool:
    """Tell whether a file takes less of the disk than its size, by holes or because its volume compresses it."""
    return facts.st_blocks * BLOCK_BYTES < facts.st_size


def data_ranges(descriptor: int, size: int) -> Ranges | None:
    """Return where an open file has data; None if the system does not tell, or there are more than 20,000 of them.

    Raises OSError if it cannot be asked.
    """
    if not hasattr(os, "SEEK_DATA"):
        return None
    found: list[tuple[int, int]] = []
    at = 0
    while at < size and len(found) <= _MOST_RANGES:
        try:
            start = os.lseek(descriptor, at, os.SEEK_DATA)
        except OSError as error:
            if error.errno == errno.ENXIO:  # nothing but a hole up to the end
                break
            if error.errno == errno.EINVAL:
                return None
            raise
        at = min(os.lseek(descriptor, start, os.SEEK_HOLE), size)
        if at > start:
            found.append((start, at - start))
    return tuple(found) if len(found) <= _MOST_RANGES else None


class SparseWriter:
    """Writes a file from its beginning and leaves holes where it had them.

    What is not zero is written, whatever was said of it.

    Parameters
    ----------
    descriptor
        Of a new file, which has to be given its size at the end.
    data
        Where it had data; None has every block of zeros become a hole.
    at
        Where writing begins.
    """

    def __init__(self, descriptor: int, data: Ranges | None, at: int = 0) -> None:
        self._descriptor = descriptor
        self._data = data
        self._next = 0
        self._at = at

    def write(self, content: bytes | memoryview) -> None:
        """Write what follows."""
        whole = memoryview(content)
        parts = self._blocks(whole) if self._data is None else self._parts(whole)
        for start, end, is_hole in parts:
            part = whole[start:end]
            if not is_hole or bytes(part).strip(b"\0"):
                _write_at(self._descriptor, part, self._at + start)
        self._at += len(whole)

    def _blocks(self, whole: memoryview) -> Iterator[tuple[int, int, bool]]:
        """Yield the blocks of the volume, each of which may be a hole."""
        start = 0
        while start < len(whole):
            end = min(len(whole), start + BLOCK - (self._at + start) % BLOCK)
            yield start, end, True
            start = end

    def _parts(self, whole: memoryview) -> Iterator[tuple[int, int, bool]]:
        """Yield what is data and what lies between."""
        data = self._data or ()
        at = 0
        while at < len(whole):
            while self._next < len(data) and sum(data[self._next]) <= self._at + at:
                self._next += 1
            start, length = data[self._next] if self._next < len(data) else (self._at + len(whole), 0)
            start, end = start - self._at, start + length - self._at
            if start > at:
                end = min(start, len(whole))
                yield at, end, True
            else:
                end = min(end, len(whole))
                yield at, end, False
            at = end


def _write_at(descriptor: int, part: memoryview, at: int) -> None:
    while part:
        written = os.pwrite(descriptor, part, at)
        part = part[written:]
        at += written
