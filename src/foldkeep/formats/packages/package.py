"""What every form of package has: names, texts about the payload, and contents one after another.

Whatever could lead out of a package, or pretends to be more than it is, is refused before anything is read of it.
"""

import io
import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import IO, Protocol

from foldkeep.model import visible

from .bagit import DECLARATION, FETCH, INFO, LISTING, OLD_INFO, BadPackage, manifest_algorithm, safe_path
from .names import Named, Names

LARGEST_TAG = 2 * 1024**3
"""Bytes of a manifest or listing; that is enough for some millions of files."""

_LARGEST_TEXT = 16 * 1024**2
_LONGEST_LINE = 1024 * 1024
_READ_BUFFER = 256 * 1024

Told = Callable[[int, int], None]
"""Is told how many bytes of how many a package was looked through for its names."""


class Stream(Protocol):
    """Stream of bytes."""

    def read(self, size: int, /) -> bytes:
        """Return up to so many bytes; none at the end."""


class Package:
    """A package that is open.

    Attributes
    ----------
    path
        Where it lies.
    names
        Its files and folders, by their paths below its top.
    """

    def __init__(self, path: bytes) -> None:
        self.path = path
        self.names = Names()
        self._top = ""

    def look(self, told: Told | None) -> None:
        """Find out what is in it, and that nothing of it leads out or pretends to be what it is not."""
        raise NotImplementedError

    def close(self) -> None:
        """Let go of what is open."""
        self.names.close()

    def contents(self) -> Iterator[tuple[Named, Stream]]:
        """Yield every file with what reads it, which is good until the next one is asked for."""
        raise NotImplementedError

    def _open_tag(self, named: Named) -> IO[bytes]:
        raise NotImplementedError

    def tag(self, name: str) -> bytes:
        """Return a short text that is no payload; raise BadPackage if it is not there or too large."""
        with self.opened(name, _LARGEST_TEXT) as stream:
            return stream.read()

    def lines(self, name: str, encoding: str) -> Iterator[str]:
        """Yield the lines of a manifest, of ``fetch.txt`` or of a listing, without their ends.

        Raises BadPackage if it is not there or too large, has a line without end, or is not in its encoding.
        """
        with self.opened(name) as stream:
            try:
                # Of the universal line ends only those that RFC 8493 knows, not all that Unicode has.
                text = io.TextIOWrapper(io.BufferedReader(stream, _READ_BUFFER), encoding)  # type: ignore[type-var]
                first = True
                while line := text.readline(_LONGEST_LINE + 1):
                    if len(line) > _LONGEST_LINE:
                        raise BadPackage(f"{name} has a line of more than {_LONGEST_LINE // 1024**2} MiB")
                    yield (line.removeprefix("\ufeff") if first else line).rstrip("\n")
                    first = False
            except (UnicodeError, LookupError) as error:
                raise BadPackage(f"{name} is not in {encoding}: {error}") from error

    @contextmanager
    def opened(self, name: str, most: int = LARGEST_TAG) -> Iterator[IO[bytes]]:
        """Open a file that is no payload for the time of the block; BadPackage if it is not there or too large."""
        named = self.names.named(name)
        if named is None:
            raise BadPackage(f"it has no {name}")
        if named.size > most:
            raise BadPackage(f"{name} is larger than {most // 1024**2:,} MiB")
        with self._open_tag(named) as stream:
            yield stream

    def _add(self, whole: str, *, is_folder: bool, size: int = 0, start: int = 0) -> str | None:
        """Note a member of a package that is one file, in which all lies in one folder (RFC 8493, 4).

        Returns its path below that folder; None for what is no file.
        """
        safe_path(whole, "the package")
        top, _, name = whole.partition("/")
        if top != (self._top or top):
            raise BadPackage(f"it holds more than one folder: {visible(self._top)}, {visible(top)}")
        self._top = top
        if is_folder:
            if name:
                self.names.add_folder(name)
            return None
        if not name:
            raise BadPackage(f"it has {whole!r} beside its one folder")
        self.names.add_file(name, size, start)
        return name


class FilePackage(Package):
    """A package that is one file, in which the content of each file lies in one piece."""

    def __init__(self, path: bytes, file: IO[bytes]) -> None:
        super().__init__(path)
        self._file = file

    def _open_tag(self, named: Named) -> IO[bytes]:
        return Section(self._file.fileno(), named.start, named.size)  # type: ignore[return-value]

    def contents(self) -> Iterator[tuple[Named, Stream]]:
        for named in self.names.below():
            yield named, self._open_tag(named)


def is_tag(name: str) -> bool:
    """Tell whether a file is one that tells of others: it is read out of turn, and must be at hand."""
    return name in (DECLARATION, INFO, OLD_INFO, FETCH, LISTING) or manifest_algorithm(name) is not None


class Section(io.RawIOBase):
    """A part of an open file, read without moving the position of that."""

    def __init__(self, descriptor: int, start: int, size: int) -> None:
        super().__init__()
        self._descriptor = descriptor
        self._at = start
        self._end = start + size

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: memoryview) -> int:  # type: ignore[override]
        wanted = min(len(buffer), self._end - self._at)
        data = os.pread(self._descriptor, wanted, self._at) if wanted else b""
        buffer[: len(data)] = data
        self._at += len(data)
        return len(data)
