"""What an essence is made of, and the file that it is read from."""

import os
from collections.abc import Iterator
from typing import NamedTuple, Protocol

from blake3 import blake3

WINDOW, SMALL_WINDOW = 256 * 1024, 16 * 1024
"""Bytes that are read at a time, of a file that is read whole and of one of which only the beginning is asked."""


class NoEssence(Exception):
    """A file has no essence: it is of no known format, or has something in it that is not known."""


class Stretch(NamedTuple):
    """Bytes of a file that belong to its essence."""

    offset: int
    length: int


class Told(NamedTuple):
    """What belongs to an essence but is not a stretch of the file as it stands: a header without its offsets."""

    content: bytes


class Shown(NamedTuple):
    """Words about a file that change what is seen or heard of it, though they are no part of its essence."""

    name: str
    value: str


Part = Stretch | Told | Shown
Parts = Iterator[Part]


class Source(Protocol):
    """A file to be read in pieces, wherever it lies."""

    @property
    def size(self) -> int:
        """Its length in bytes."""
        ...

    def read(self, offset: int, length: int) -> bytes:
        """Return just so many bytes from there; raise NoEssence if it is shorter."""
        ...

    def view(self, offset: int, length: int) -> memoryview:
        """Return what `read` does, but as a view that is good only until the next of either."""
        ...


class FileSource:
    """A file of the local system by its descriptor, which is read in windows.

    Parameters
    ----------
    content
        Takes all of the file in its order, as far as that is read so; `read_rest` gives it what is left.
    """

    def __init__(self, descriptor: int, size: int, window: int = WINDOW, content: blake3 | None = None) -> None:
        self._content, self._taken = content, 0
        self._descriptor = descriptor
        self._least = window
        self.size = size
        self._start = self._end = 0
        self._window = memoryview(bytearray(window))  # read into again and again: new memory costs more than reading

    def read(self, offset: int, length: int) -> bytes:
        """Return just so many bytes from there. Raise NoEssence if it is shorter, OSError if it cannot be read."""
        return bytes(self.view(offset, length))

    def view(self, offset: int, length: int) -> memoryview:
        """Return what `read` does, but as a view that is good only until the next of either."""
        if offset < 0 or length < 0 or offset + length > self.size:
            raise NoEssence("it ends too early")
        if offset < self._start or offset + length > self._end:
            self._fill(offset, max(length, min(self._least, self.size - offset)))
        at = offset - self._start
        return self._window[at : at + length]

    def _fill(self, offset: int, length: int) -> None:
        if length > len(self._window):
            self._window = memoryview(bytearray(length))
        self._start = self._end = offset
        while self._end < offset + length:
            read = os.preadv(self._descriptor, [self._window[self._end - offset : length]], self._end)
            if not read:
                raise NoEssence("it became shorter")
            self._end += read
        if self._content is not None and self._start <= self._taken < self._end:
            self._content.update(self._window[self._taken - self._start : length])
            self._taken = self._end

    def read_rest(self) -> None:
        """Read what was not read in its order. Raise NoEssence if the file is shorter, OSError if it cannot be read."""
        while self._content is not None and self._taken < self.size:
            self._fill(self._taken, min(self._least, self.size - self._taken))


def all_of(content: bytes, first: int, *rest: int) -> bool:
    """Tell whether a content has no bytes but these."""
    return not content.strip(bytes((first, *rest)))


_MEDIA_SIGNS = (
    b"\xff\xd8\xff", b"\x89PNG", b"ftyp", b"RIFF", b"FORM", b"OggS", b"fLaC", b"ID3", b"\x1aE\xdf\xa3", b"II*\0",
    b"MM\0*", b"moov", b"mdat", b"PK\3\4", b"GIF8", b"JXL ", b"\xff\x0a",
)  # fmt: skip
_MOST_AFTER = 64 * 1024


def check_rest_after(source: Source, end: int) -> None:
    """Raise NoEssence if what follows the end of a picture may be more than words: a clip, a second picture."""
    length = source.size - end
    if length > _MOST_AFTER:
        raise NoEssence("something large follows its end")
    after = source.read(end, length)
    if any(sign in after for sign in _MEDIA_SIGNS):
        raise NoEssence("other media follow its end")
