"""Packages as they lie on a disk: a folder, a tar, a zstd-compressed tar, or a zip. Only looked into, never unpacked.

Whatever could lead out of a package, or pretends to be more than it is, is refused before anything is read of it.
"""

import io
import os
import stat
import tarfile
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import IO, Protocol

from foldkeep.model import visible

from .bagit import BadPackage, safe_path
from .reading import opened_file

UNFINISHED = b".unfinished"
"""How the name of a package ends that is being made."""

_LARGEST_TAG = 512 * 1024 * 1024
_MOST_RATIO = 1000
_FREE_OF_SUSPICION = 1024**3
_MOST_WINDOW = 128 * 1024 * 1024  # of memory that zstd may ask for
_STORED = (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED)


class Stream(Protocol):
    """What can be read from."""

    def read(self, size: int, /) -> bytes:
        """Return up to so many bytes; none at the end."""


@dataclass
class Package:
    """What is in a package, by its path below the top of that.

    Attributes
    ----------
    path
        Where the package lies.
    files
        Sizes by path, in the order that they lie in.
    folders
        Paths of folders.
    top
        The one folder that a tar holds; empty for what is no tar.
    """

    path: bytes
    files: dict[str, int] = field(default_factory=dict)
    folders: set[str] = field(default_factory=set)
    top: str = ""

    def tag(self, name: str) -> bytes:
        """Return the content of a file that is not payload; raise BadPackage if it is not there or too large."""
        size = self.files.get(name)
        if size is None:
            raise BadPackage(f"it has no {name}")
        if size > _LARGEST_TAG:
            raise BadPackage(f"{name} is larger than {_LARGEST_TAG // 1024**2} MiB")
        return self._tag(name)

    def _tag(self, name: str) -> bytes:
        raise NotImplementedError

    def contents(self) -> Iterator[tuple[str, Stream]]:
        """Yield every file with what reads it, which is good until the next one is asked for."""
        raise NotImplementedError

    def _note(self, name: str, size: int) -> None:
        safe_path(name, "the package")
        if name in self.files or name in self.folders:
            raise BadPackage(f"it has {name!r} twice")
        self.files[name] = size

    def _check_ratio(self, size: int, packed: int) -> None:
        if size > _FREE_OF_SUSPICION and size > packed * _MOST_RATIO:
            raise BadPackage(f"it claims to hold more than {_MOST_RATIO} times its own size, as a bomb would")

    def _check_shape(self) -> None:
        """Raise BadPackage if a file is the folder of another."""
        for name in (*self.files, *self.folders):
            above = name.rpartition("/")[0]
            while above:
                if above in self.files:
                    raise BadPackage(f"it has {above!r} as a file and as a folder")
                above = above.rpartition("/")[0]


@contextmanager
def open_package(path: bytes) -> Iterator[Package]:
    """Open a package of any form for the time of the block.

    Raises OSError, or BadPackage if it is none that can be looked into safely.
    """
    if path.rstrip(b"/").endswith(UNFINISHED):
        raise BadPackage("it was never finished; archive its project again, which goes on with it")
    if os.path.isdir(path):
        yield _Folder(path)
        return
    with opened_file(path) as file:
        start = file.read(4)
        file.seek(0)
        try:
            if start == b"PK\x03\x04":
                with zipfile.ZipFile(file) as packed:
                    yield _Zip(path, packed, os.fstat(file.fileno()).st_size)
            elif start == b"\x28\xb5\x2f\xfd":
                yield _ZstdTar(path, file)
            else:
                yield _Tar(path, file)
        except (tarfile.TarError, zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError) as error:
            raise BadPackage(f"it is damaged, or no package: {error}") from error


class _Folder(Package):
    def __init__(self, path: bytes) -> None:
        super().__init__(path)
        for folder, folders, names in os.walk(path):
            folders.sort()
            below = os.path.relpath(folder, path)
            for name in sorted([*folders, *names]):
                inner = name if below == b"." else os.path.join(below, name)
                facts = os.lstat(os.path.join(folder, name))
                text = os.fsdecode(inner)
                if stat.S_ISDIR(facts.st_mode):
                    self.folders.add(text)
                elif stat.S_ISREG(facts.st_mode):
                    self.files[text] = facts.st_size
                else:
                    raise BadPackage(f"it has a link or a special file: {text!r}")

    def open(self, name: str) -> IO[bytes]:
        """Open a file; no link is followed."""
        flags = os.O_RDONLY | os.O_NOFOLLOW | os.O_CLOEXEC
        steps = os.fsencode(name).split(b"/")
        folder = os.open(self.path, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
        try:
            for step in steps[:-1]:
                below = os.open(step, flags | os.O_DIRECTORY, dir_fd=folder)
                os.close(folder)
                folder = below
            return os.fdopen(os.open(steps[-1], flags, dir_fd=folder), "rb", buffering=0)
        finally:
            os.close(folder)

    def _tag(self, name: str) -> bytes:
        with self.open(name) as file:
            return b"".join(iter(lambda: file.read(1024 * 1024), b""))

    def contents(self) -> Iterator[tuple[str, Stream]]:
        for name in self.files:
            with self.open(name) as file:
                yield name, file


class _Tar(Package):
    """A tar, POSIX pax or older; bare, so that every file of it can be opened at once."""

    def __init__(self, path: bytes, file: IO[bytes]) -> None:
        super().__init__(path)
        self._members: dict[str, tarfile.TarInfo] = {}
        self._tar = tarfile.open(fileobj=file, mode="r:", errors="surrogateescape")  # noqa: SIM115 - `file` is closed
        size = os.fstat(file.fileno()).st_size
        for member in self._tar:
            name = _inner(member, self)
            if name is not None:
                if member.offset_data + member.size > size:
                    raise BadPackage(f"it ends within {name!r}")
                self._members[name] = member
        self._check_shape()

    def _tag(self, name: str) -> bytes:
        stream = self._tar.extractfile(self._members[name])
        return stream.read() if stream else b""

    def contents(self) -> Iterator[tuple[str, Stream]]:
        for name, member in self._members.items():
            stream = self._tar.extractfile(member)
            if stream is not None:
                yield name, stream


class _ZstdTar(Package):
    """A zstd-compressed tar (RFC 8878), which can only be read from its beginning."""

    def __init__(self, path: bytes, file: IO[bytes]) -> None:
        super().__init__(path)
        self._file = file
        self._tags: dict[str, bytes] = {}
        packed = os.fstat(file.fileno()).st_size
        total = 0
        for member, stream in self._read():
            name = _inner(member, self)
            total += member.size
            self._check_ratio(total, packed)
            if name is not None and not name.startswith("data/") and member.size <= _LARGEST_TAG:
                self._tags[name] = stream.read(member.size)
        self._check_shape()

    def _read(self) -> Iterator[tuple[tarfile.TarInfo, Stream]]:
        import zstandard

        self._file.seek(0)
        unpacker = zstandard.ZstdDecompressor(max_window_size=_MOST_WINDOW)
        try:
            with (
                unpacker.stream_reader(self._file, read_across_frames=True, closefd=False) as stream,
                tarfile.open(fileobj=stream, mode="r|", errors="surrogateescape") as tar,
            ):
                for member in tar:
                    content = tar.extractfile(member) if member.isreg() and not member.issparse() else None
                    yield member, content or io.BytesIO()
        except zstandard.ZstdError as error:
            raise BadPackage(f"it is damaged: {error}") from error

    def _tag(self, name: str) -> bytes:
        return self._tags[name]

    def contents(self) -> Iterator[tuple[str, Stream]]:
        for member, stream in self._read():
            if member.isreg():
                yield _without_top(member.name), stream


class _Zip(Package):
    def __init__(self, path: bytes, packed: zipfile.ZipFile, size: int) -> None:
        super().__init__(path)
        self._zip = packed
        self._members: dict[str, zipfile.ZipInfo] = {}
        total = 0
        for member in packed.infolist():
            kind = stat.S_IFMT(member.external_attr >> 16)
            name = _without_top(member.filename.rstrip("/"))
            if member.is_dir():
                _note_folder(self, member.filename.rstrip("/"), name)
                continue
            if kind not in (0, stat.S_IFREG):
                raise BadPackage(f"it has a link or a special file: {member.filename!r}")
            if member.compress_type not in _STORED or member.flag_bits & 1:
                raise BadPackage(f"{member.filename!r} is encrypted, or packed in a way that is not read here")
            total += member.file_size
            self._check_ratio(total, size)
            safe_path(member.filename, "the package")
            if not name:
                raise BadPackage(f"it has {member.filename!r} beside its one folder")
            self._note(name, member.file_size)
            self._members[name] = member
        _check_one_top({each.filename.partition("/")[0] for each in packed.infolist()})
        self._check_shape()

    def _tag(self, name: str) -> bytes:
        with self._zip.open(self._members[name]) as stream:
            return stream.read()

    def contents(self) -> Iterator[tuple[str, Stream]]:
        for name, member in self._members.items():
            with self._zip.open(member) as stream:
                yield name, stream


def _inner(member: tarfile.TarInfo, package: Package) -> str | None:
    """Note a member of a tar; return its path below the top of the package, None if it is no file."""
    safe_path(member.name, "the package")
    name = _without_top(member.name)
    top = member.name.partition("/")[0]
    _check_one_top({top, package.top or top})
    package.top = top
    if member.isdir():
        _note_folder(package, member.name, name)
        return None
    if not member.isreg() or member.issparse():
        raise BadPackage(f"it has a link, a special or a sparse file: {member.name!r}")
    if not name:
        raise BadPackage(f"it has {member.name!r} beside its one folder")
    package._note(name, member.size)
    return name


def _note_folder(package: Package, whole: str, name: str) -> None:
    safe_path(whole, "the package")
    if name in package.files:
        raise BadPackage(f"it has {name!r} twice")
    if name:
        package.folders.add(name)


def _without_top(name: str) -> str:
    """Return a path below the one folder that a packed bag lies in (RFC 8493, 4)."""
    return name.partition("/")[2]


def _check_one_top(tops: set[str]) -> None:
    if len(tops) > 1:
        raise BadPackage(f"it holds more than one folder: {', '.join(map(visible, sorted(tops)))}")
