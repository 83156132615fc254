"""A package as a zip (APPNOTE of that format), files stored or deflated."""

import os
import stat
import struct
import zipfile
from collections.abc import Iterator
from typing import IO

from .bagit import BadPackage
from .names import Named
from .package import Package, Stream, Told

_STORED = (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED)
_MOST_NAMES = 400_000  # that the library holds in memory
_LARGEST_DIRECTORY = 128 * 1024**2
_END, _ENTRY = b"PK\5\6", b"PK\1\2"
_LONGEST_END = 66_000


class ZipPackage(Package):
    """A zip; files stored or deflated, none of them encrypted."""

    def __init__(self, path: bytes, file: IO[bytes]) -> None:
        super().__init__(path)
        self._file = file

    def look(self, _: Told | None) -> None:
        size = os.fstat(self._file.fileno()).st_size
        _check_directory(self._file, size)
        self._zip = zipfile.ZipFile(self._file)
        packed = 0
        for member in self._zip.infolist():
            if not member.filename:
                raise BadPackage("it has a file without a name")
            kind = stat.S_IFMT(member.external_attr >> 16)
            if not member.is_dir():
                if kind not in (0, stat.S_IFREG):
                    raise BadPackage(f"it has a link or a special file: {member.filename!r}")
                if member.compress_type not in _STORED or member.flag_bits & 1:
                    raise BadPackage(f"{member.filename!r} is encrypted, or packed in a way that is not read here")
            packed += member.compress_size
            if packed > size:
                raise BadPackage("it claims to hold more than it has, as a bomb would whose files lie in each other")
            self._add(member.filename.rstrip("/"), is_folder=member.is_dir(), size=member.file_size)
        self.names.check_shape()

    def _open_tag(self, named: Named) -> IO[bytes]:
        return self._zip.open(f"{self._top}/{named.path}")

    def contents(self) -> Iterator[tuple[Named, Stream]]:
        for member in self._zip.infolist():
            named = None if member.is_dir() else self.names.named(member.filename.partition("/")[2])
            if named:
                with self._zip.open(member) as stream:
                    yield named, stream


def _check_directory(file: IO[bytes], size: int) -> None:
    """Raise BadPackage if the library could not hold what the directory of a zip lists."""
    file.seek(max(0, size - _LONGEST_END))
    end = file.read()
    at = end.rfind(_END)
    length = struct.unpack_from("<L", end, at + 12)[0] if 0 <= at <= len(end) - 22 else 0
    if length == 0xFFFFFFFF:  # told elsewhere (zip64); it lies before these records at most
        length = min(size, _LARGEST_DIRECTORY)
    if length > _LARGEST_DIRECTORY:
        raise BadPackage(f"its directory has {length:,} bytes")
    file.seek(max(0, size - len(end) + max(at, 0) - length))
    if file.read(length).count(_ENTRY) > _MOST_NAMES:
        raise BadPackage(f"it has more than {_MOST_NAMES:,} names, too many for a zip; pack it as a tar")
    file.seek(0)
