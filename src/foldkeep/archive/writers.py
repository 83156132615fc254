"""Writing the files of a package, as a folder or into one file; each file is read once for all its digests."""

import errno
import hashlib
import io
import os
import re
import stat
import tarfile
import unicodedata
import zipfile
from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from typing import IO, Any, BinaryIO, cast

from blake3 import blake3

from foldkeep.model import visible
from foldkeep.model.kinds import kind_of
from foldkeep.model.packages import FORMATS
from foldkeep.signals import MEDIA
from foldkeep.storage import storage_at
from foldkeep.storage.local.changes import flush, unlink
from foldkeep.storage.local.holes import SparseWriter
from foldkeep.storage.local.ownership import is_special, owner_names
from foldkeep.storage.local.reading import FILE, Identity, NotSafe, open_path, opened

from .packing import Packed

"""The forms of packages, which are also the suffixes of all but the first."""

BLAKE3 = "blake3"
_CHUNK = 4 * 1024 * 1024
_SMALL = 256 * 1024
_LEVEL = 3
_OLDEST_IN_ZIP, _NEWEST_IN_ZIP = 315_532_800, 4_354_819_198  # 1980 to 2107, which its format can tell
_DOS_FOLDER = 0x10  # so that unpackers of other systems see it as well
_NEW = os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC


class _Hashing:
    """Reads an open file, and hashes what was read while the caller writes it."""

    def __init__(self, descriptor: int, size: int, algorithms: Sequence[str], pool: ThreadPoolExecutor) -> None:
        self._descriptor = descriptor
        self._pool = pool if size > _SMALL else None
        self._left = size
        self._hashers: dict[str, Any] = {name: _hasher(name) for name in algorithms}
        self._pending: list[Future[None]] = []

    def read(self, size: int) -> bytes:
        """Return up to so many bytes; none at the end, or where the file was longer than it should be."""
        data = os.read(self._descriptor, min(size, self._left))
        self._left -= len(data)
        self._wait()
        if self._pool is None:
            for hasher in self._hashers.values():
                hasher.update(data)
        elif data:
            self._pending = [self._pool.submit(hasher.update, data) for hasher in self._hashers.values()]
        return data

    def _wait(self) -> None:
        for each in self._pending:
            each.result()
        self._pending = []

    def digests(self) -> dict[str, str]:
        """Return the digests of all that was read."""
        self._wait()
        if self._left:
            raise NotSafe("became shorter while it was archived")
        return {name: hasher.hexdigest() for name, hasher in self._hashers.items()}


def _hasher(name: str) -> Any:
    return blake3() if name == BLAKE3 else hashlib.new(name, usedforsecurity=False)


@dataclass
class Writer(ABC):
    """Writes a package at a path where nothing is.

    Attributes
    ----------
    top
        What the package is called.
    algorithms
        Of the digests that are wanted of every file.
    told
        Is told of bytes that were read.
    """

    path: bytes
    top: str
    algorithms: Sequence[str]
    told: Callable[[int], None]

    def __post_init__(self) -> None:
        self._pool = ThreadPoolExecutor(2)

    @abstractmethod
    def folder(self, name: str) -> None:
        """Make a folder of the package."""

    @abstractmethod
    def _put(self, name: str, stream: "_Told", entry: Packed) -> None:
        """Write a file of the package from a stream."""

    @abstractmethod
    def text(self, name: str, content: bytes) -> None:
        """Write a file of the package that is no payload."""

    @abstractmethod
    def close(self) -> None:
        """Bring the end of the package to the disk."""

    def file(self, entry: Packed) -> dict[str, str]:
        """Write a file of the project, reading it once, and return its digests.

        Raises
        ------
        NotSafe
            If it is not, or no longer, the file that was looked at.
        OSError
            If it cannot be read, or the package not be written.
        """
        descriptor = open_path(entry.source, FILE)
        try:
            facts = os.fstat(descriptor)
            if not stat.S_ISREG(facts.st_mode) or Identity.of(facts) != Identity.of(entry.facts):
                raise NotSafe("changed since it was looked at")
            os.lseek(descriptor, entry.listed.start, os.SEEK_SET)
            reading = _Hashing(descriptor, entry.listed.size, self.algorithms, self._pool)
            self._put(entry.listed.payload, _Told(reading, self.told), entry)
            digests = reading.digests()
            if Identity.of(os.fstat(descriptor)) != Identity.of(entry.facts):
                raise NotSafe("changed while it was archived")
            return digests
        finally:
            os.close(descriptor)

    def stop(self) -> None:
        """Let go of what is open."""
        self._pool.shutdown()


class _Told:
    """A stream that tells how much of it was read."""

    def __init__(self, stream: _Hashing, told: Callable[[int], None]) -> None:
        self._stream = stream
        self._told = told

    def read(self, size: int = _CHUNK) -> bytes:
        data = self._stream.read(size)
        self._told(len(data))
        return data


class FolderWriter(Writer):
    """A package as a folder; what was written before an interruption stays."""

    def __post_init__(self) -> None:
        super().__post_init__()
        os.makedirs(self.path, exist_ok=True)

    def _at(self, name: str) -> bytes:
        return os.path.join(self.path, os.fsencode(name))

    def _new(self, name: str) -> int:
        """Open a new file of the package; one of ours that was begun before an interruption goes."""
        path = self._at(name)
        if os.path.lexists(path):
            unlink(path)
        return open_path(path, _NEW, 0o644)

    def folder(self, name: str) -> None:
        os.makedirs(self._at(name), exist_ok=True)

    def _put(self, name: str, stream: _Told, entry: Packed) -> None:
        descriptor = self._new(name)
        try:
            holes = SparseWriter(descriptor, entry.listed.data) if entry.listed.is_sparse else None
            while data := stream.read(_CHUNK):
                if holes:
                    holes.write(data)
                else:
                    write_all(descriptor, data)
            os.ftruncate(descriptor, entry.listed.size)
            os.utime(descriptor, ns=(entry.facts.st_mtime_ns, entry.facts.st_mtime_ns))
        finally:
            os.close(descriptor)

    def text(self, name: str, content: bytes) -> None:
        descriptor = self._new(name)
        try:
            write_all(descriptor, content)
        finally:
            os.close(descriptor)

    def close(self) -> None:
        storage_at(self.path).flush_volume(self.path)


class TarWriter(Writer):
    """A package as a tar (POSIX pax), plain or compressed with zstd."""

    squeezed = False

    def __post_init__(self) -> None:
        super().__post_init__()
        self._file: IO[bytes] = os.fdopen(open_path(self.path, _NEW, 0o644), "wb")
        stream: Any = self._file
        if self.squeezed:
            import zstandard

            packer = zstandard.ZstdCompressor(level=_LEVEL, threads=2, write_checksum=True)
            stream = packer.stream_writer(self._file, closefd=False)
        self._stream = stream
        self._tar = tarfile.TarFile(fileobj=stream, mode="w", format=tarfile.PAX_FORMAT, copybufsize=_CHUNK)

    def _info(self, name: str, size: int = 0) -> tarfile.TarInfo:
        info = tarfile.TarInfo(f"{self.top}/{name}")
        info.size = size
        return info

    def folder(self, name: str) -> None:
        info = self._info(name)
        info.type, info.mode = tarfile.DIRTYPE, 0o755
        self._tar.addfile(info)

    def _put(self, name: str, stream: _Told, entry: Packed) -> None:
        info = self._info(name, entry.listed.size)
        info.mtime = entry.facts.st_mtime_ns // 1_000_000_000
        info.mode = entry.listed.mode & 0o777
        info.uid, info.gid = entry.facts.st_uid, entry.facts.st_gid
        info.uname, info.gname = owner_names(info.uid, info.gid)
        # The keyword that several programs read and write, as is usual with what POSIX leaves open.
        info.pax_headers = {
            f"SCHILY.xattr.{os.fsdecode(attribute)}": os.fsdecode(value)
            for attribute, value in entry.listed.attributes
            if not is_special(attribute) and b"=" not in attribute
        }
        try:
            self._tar.addfile(info, stream)
        except OSError as error:
            if error.errno is None:  # of the library's own making
                raise NotSafe("became shorter while it was archived") from error
            raise

    def text(self, name: str, content: bytes) -> None:
        self._tar.addfile(self._info(name, len(content)), io.BytesIO(content))

    def close(self) -> None:
        self._tar.close()
        if self.squeezed:
            self._stream.close()
        self._file.flush()
        flush(self._file.fileno())

    def stop(self) -> None:
        super().stop()
        with suppress(OSError):
            self._file.close()


class ZstdTarWriter(TarWriter):
    """A tar that zstd (RFC 8878) compresses."""

    squeezed = True


class ZipWriter(Writer):
    """A package as a zip; media is stored as it is, the rest deflated."""

    def __post_init__(self) -> None:
        super().__post_init__()
        self._file: IO[bytes] = os.fdopen(open_path(self.path, _NEW & ~os.O_WRONLY | os.O_RDWR, 0o644), "w+b")
        self._zip = zipfile.ZipFile(self._file, "w", allowZip64=True)

    def _info(self, name: str, seconds: float = _OLDEST_IN_ZIP) -> zipfile.ZipInfo:
        import time

        moment = time.gmtime(min(max(seconds, _OLDEST_IN_ZIP), _NEWEST_IN_ZIP))
        info = zipfile.ZipInfo(f"{self.top}/{name}", moment[:6])
        info.external_attr = (stat.S_IFREG | 0o644) << 16
        return info

    def folder(self, name: str) -> None:
        info = self._info(f"{name}/")
        info.external_attr = (stat.S_IFDIR | 0o755) << 16 | _DOS_FOLDER
        self._zip.writestr(info, b"")

    def _put(self, name: str, stream: _Told, entry: Packed) -> None:
        info = self._info(name, entry.facts.st_mtime)
        is_packed = kind_of(os.path.basename(entry.source)) in (*MEDIA, "packed")
        info.compress_type = zipfile.ZIP_STORED if is_packed else zipfile.ZIP_DEFLATED
        info.file_size = entry.listed.size
        with self._zip.open(info, "w", force_zip64=entry.listed.size > 2**31) as inner:
            while data := stream.read(_CHUNK):
                inner.write(data)

    def text(self, name: str, content: bytes) -> None:
        self._zip.writestr(self._info(name), content, zipfile.ZIP_DEFLATED)

    def close(self) -> None:
        self._zip.close()
        self._file.flush()
        flush(self._file.fileno())

    def stop(self) -> None:
        super().stop()
        with suppress(OSError, ValueError):  # of one that was not finished; it would try again when it is collected
            self._zip.close()
        with suppress(OSError):
            self._file.close()


class DiscWriter(Writer):
    """A package as an image of a disc: ISO 9660 level 3 with Rock Ridge, Joliet and UDF, the bag at its top.

    The library needs every length before it writes, and puts texts before the payload: so each file is read for its
    digests first, and again when the image is written at the end.
    """

    def __post_init__(self) -> None:
        super().__post_init__()
        from pycdlib import PyCdlib

        self._image = PyCdlib()
        name = _volume_name(self.top)
        self._image.new(interchange_level=3, joliet=3, rock_ridge="1.09", udf="2.60", vol_ident=name)
        self._folders = {"": ""}
        self._count = 0

    def _names(self, name: str, form: str) -> dict[str, Any]:
        """Return what a file or folder is called in each of the trees of the image."""
        folder, _, step = name.rpartition("/")
        self._count += 1
        return {
            "iso_path": f"{self._folders[folder]}/{form.format(self._count)}",
            "rr_name": step,
            "joliet_path": f"/{name}",
            "udf_path": f"/{name}",
        }

    def folder(self, name: str) -> None:
        names = self._names(name, "D{:07}")
        self._folders[name] = names["iso_path"]
        with _disc_errors():
            self._image.add_directory(**names)

    def _put(self, name: str, stream: _Told, entry: Packed) -> None:
        while stream.read(_CHUNK):
            pass
        later = cast(BinaryIO, _Later(entry))
        seconds = min(max(entry.facts.st_mtime, 0), _NEWEST_IN_ZIP)
        with _disc_errors():
            self._image.add_fp(later, entry.listed.size, **self._names(name, "F{:07}.;1"), creation_time=seconds)

    def text(self, name: str, content: bytes) -> None:
        with _disc_errors():
            self._image.add_fp(io.BytesIO(content), len(content), **self._names(name, "F{:07}.;1"))

    def close(self) -> None:
        with _disc_errors(), os.fdopen(open_path(self.path, _NEW, 0o644), "wb", buffering=_CHUNK) as file:
            self._image.write_fp(file, blocksize=_CHUNK)
            file.flush()
            flush(file.fileno())

    def stop(self) -> None:
        super().stop()
        self._image.close()


@contextmanager
def _disc_errors() -> Iterator[None]:
    """Raise what the library for images raises as an OSError."""
    from pycdlib.pycdlibexception import PyCdlibException

    try:
        yield
    except PyCdlibException as error:
        raise OSError(errno.EINVAL, f"no disc can have that: {error}") from error


class _Later(io.RawIOBase):
    """A file, or a piece of one, that is opened when it is read, and must be what was looked at."""

    def __init__(self, entry: Packed) -> None:
        super().__init__()
        self._entry = entry
        self._at = 0

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def seek(self, offset: int, whence: int = os.SEEK_SET) -> int:
        self._at = offset + {os.SEEK_SET: 0, os.SEEK_CUR: self._at, os.SEEK_END: self._entry.listed.size}[whence]
        return self._at

    def tell(self) -> int:
        return self._at

    def read(self, size: int = -1) -> bytes:
        listed = self._entry.listed
        wanted = listed.size - self._at if size < 0 else min(size, listed.size - self._at)
        with opened(self._entry.source) as descriptor:
            if Identity.of(os.fstat(descriptor)) != Identity.of(self._entry.facts):
                raise NotSafe(f"{visible(self._entry.source)} changed while it was archived")
            parts = []
            while wanted and (data := os.pread(descriptor, wanted, listed.start + self._at)):
                parts.append(data)
                wanted -= len(data)
                self._at += len(data)
        return b"".join(parts)


def _volume_name(name: str) -> str:
    """Return what a disc is called: at most 16 capital letters, digits and underscores (ECMA-119, 7.4.1)."""
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().upper()
    return re.sub(r"[^A-Z0-9]+", "_", plain).strip("_")[:16] or "PACKAGE"


WRITERS: dict[str, type[Writer]] = dict(
    zip(FORMATS, (FolderWriter, TarWriter, ZstdTarWriter, ZipWriter, DiscWriter), strict=True)
)


def write_all(descriptor: int, data: bytes) -> None:
    """Write all of some bytes at the position of an open file."""
    rest = memoryview(data)
    while rest:
        rest = rest[os.write(descriptor, rest) :]
