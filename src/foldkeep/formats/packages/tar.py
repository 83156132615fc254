"""A package as a tar, POSIX pax or older: bare, or compressed with zstd (RFC 8878)."""

import os
import tarfile
import tempfile
from collections.abc import Iterator
from typing import IO, Any

from .bagit import BadPackage
from .names import Named
from .package import LARGEST_TAG, FilePackage, Package, Section, Stream, Told, is_tag

_LARGEST_HEADER = 1024 * 1024
_MOST_WINDOW = 128 * 1024 * 1024  # of memory that zstd may ask for
_CHUNK = 1024 * 1024
_FREE_NAMES = 50_000
_BYTES_A_NAME = 32
_HEADERS = (tarfile.XHDTYPE, tarfile.XGLTYPE, tarfile.SOLARIS_XHDTYPE, tarfile.GNUTYPE_LONGNAME,
            tarfile.GNUTYPE_LONGLINK)  # fmt: skip


class _Info(tarfile.TarInfo):
    """A header that is refused where the library would read it whole, however large it says it is."""

    @classmethod
    def frombuf(cls, buf: bytes | bytearray, encoding: str, errors: str) -> "_Info":
        info = super().frombuf(buf, encoding, errors)
        if info.type in _HEADERS and info.size > _LARGEST_HEADER:
            raise BadPackage(f"it has a header of {info.size:,} bytes")
        if info.type == tarfile.GNUTYPE_SPARSE:
            raise BadPackage(f"it has a sparse file: {info.name!r}")
        return info

    def _proc_gnusparse_10(self, *_: object) -> None:
        raise BadPackage(f"it has a sparse file: {self.name!r}")


def _members(tar: tarfile.TarFile) -> Iterator[tarfile.TarInfo]:
    """Yield the members of a tar, and have none of them kept in memory."""
    while (member := tar.next()) is not None:
        tar.members.clear()  # type: ignore[attr-defined]
        if not (member.isdir() or member.isreg()) or member.issparse():
            raise BadPackage(f"it has a link, a special or a sparse file: {member.name!r}")
        yield member


class TarPackage(FilePackage):
    """A bare tar, of which every file can be read where it lies."""

    def look(self, told: Told | None) -> None:
        size = os.fstat(self._file.fileno()).st_size
        with tarfile.open(fileobj=self._file, mode="r:", errors="surrogateescape", tarinfo=_Info) as tar:
            for member in _members(tar):
                if member.offset_data + member.size > size:
                    raise BadPackage(f"it ends within {member.name!r}")
                self._add(member.name, is_folder=member.isdir(), size=member.size, start=member.offset_data)
                if told:
                    told(member.offset_data, size)
        self.names.check_shape()


class ZstdTarPackage(Package):
    """A zstd-compressed tar, which can only be read from its beginning.

    Manifests and listings are set aside while it is looked through, compressed again: whatever they claim to be, they
    take no more of the disk than they took in the package, nearly.
    """

    def __init__(self, path: bytes, file: IO[bytes]) -> None:
        super().__init__(path)
        self._file = file
        self._aside = tempfile.TemporaryFile()  # noqa: SIM115 - closed with the package
        self._ends: dict[str, int] = {}

    def look(self, told: Told | None) -> None:
        import zstandard

        size = os.fstat(self._file.fileno()).st_size
        most = _FREE_NAMES + size // _BYTES_A_NAME
        for number, (member, stream) in enumerate(self._read(), start=1):
            if number > most:  # a digest for each file cannot be squeezed
                raise BadPackage(f"it claims to have more than {most:,} names")
            start = self._aside.tell()
            name = self._add(member.name, is_folder=member.isdir(), size=member.size, start=start)
            if name is not None and is_tag(name):
                if member.size > LARGEST_TAG:
                    raise BadPackage(f"{name} is larger than {LARGEST_TAG // 1024**2:,} MiB")
                zstandard.ZstdCompressor(level=1).copy_stream(stream, self._aside, read_size=_CHUNK)
                self._ends[name] = self._aside.tell()
            if told:
                told(self._file.tell(), size)
        self._aside.flush()
        self.names.check_shape()

    def close(self) -> None:
        self._aside.close()
        super().close()

    def _read(self) -> Iterator[tuple[tarfile.TarInfo, Any]]:
        import zstandard

        self._file.seek(0)
        unpacker = zstandard.ZstdDecompressor(max_window_size=_MOST_WINDOW)
        try:
            with (
                unpacker.stream_reader(self._file, read_across_frames=True, closefd=False) as stream,
                tarfile.open(fileobj=stream, mode="r|", errors="surrogateescape", tarinfo=_Info) as tar,
            ):
                for member in _members(tar):
                    yield member, tar.extractfile(member)
        except zstandard.ZstdError as error:
            raise BadPackage(f"it is damaged: {error}") from error

    def _open_tag(self, named: Named) -> IO[bytes]:
        import zstandard

        packed = Section(self._aside.fileno(), named.start, self._ends[named.path] - named.start)
        return zstandard.ZstdDecompressor().stream_reader(packed, read_size=_CHUNK)  # type: ignore[arg-type]

    def contents(self) -> Iterator[tuple[Named, Stream]]:
        for member, stream in self._read():
            if member.isreg() and (named := self.names.named(member.name.partition("/")[2])):
                yield named, stream
