"""Copies that are as good as the file: its bytes, holes, times, mode and attributes, read back from the disk."""

import errno
import os
import sys
from collections.abc import Iterable, Iterator
from contextlib import contextmanager, suppress
from typing import NamedTuple

from blake3 import blake3

from ..holes import SparseWriter, data_ranges, has_holes
from ..reading.digests import digest_of
from ..reading.identity import Identity, Stamp
from ..reading.opening import FILE, facts_of, forget_pages
from .flushing import flush

_BUFFER = 1024 * 1024
FICLONE = 0x40049409  # linux/fs.h
_NEW_FILE = os.O_RDWR | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC


class Copied(NamedTuple):
    """Result of copying a file.

    Attributes
    ----------
    digest
        Of what was read and written, and read back.
    facts
        The copy as its volume has it; a volume may round times.
    lost
        What could not be given to the copy: names of extended attributes, "owner", "mode".
    """

    digest: bytes
    facts: os.stat_result
    lost: tuple[str, ...] = ()


def copy_file(source: int, name: bytes, target: int, new_name: bytes) -> Copied:
    """Copy a file of one open folder into another, flush it, and read it back.

    Raises
    ------
    OSError
        FileExistsError if the new name is taken; what the system says; EIO if the copy reads differently, or the
        original changed meanwhile. What was begun is taken away again.
    """
    original = os.open(name, FILE, dir_fd=source)
    try:
        return copy_open_file(original, target, new_name)
    finally:
        os.close(original)


def copy_open_file(original: int, target: int, new_name: bytes) -> Copied:
    """Copy an open file, from its beginning, into an open folder, as `copy_file` does."""
    facts = os.fstat(original)
    with _new_file(target, new_name) as copy:
        digest = _copy_bytes(original, copy, facts)
        lost = like(facts, original, copy)
        flush(copy)
        forget_pages(copy)
        os.lseek(copy, 0, os.SEEK_SET)
        if digest_of(copy, facts.st_size) != (digest, facts.st_size):
            raise OSError(errno.EIO, "the copy reads differently from the original")
        now = os.fstat(original)
        # A name of it may have gone meanwhile, which changes the time of last change and nothing of the content.
        lost_a_name = now.st_nlink != facts.st_nlink and Identity.of(now) == Identity.of(facts)
        if Stamp.of(now) != Stamp.of(facts) and not lost_a_name:
            raise OSError(errno.EIO, "it changed while it was copied")
        return Copied(digest, os.fstat(copy), lost)


def write_like(folder: int, name: bytes, target: int, new_name: bytes, content: bytes) -> None:
    """Write a new file with the owner and mode of one in an open folder, and flush it.

    Raises OSError as `copy_file`; what was begun is taken away again.
    """
    facts = os.stat(name, dir_fd=folder, follow_symlinks=False)
    with _new_file(target, new_name) as copy:
        written = 0
        while written < len(content):
            written += os.write(copy, content[written:])
        with suppress(OSError):
            os.fchown(copy, facts.st_uid, facts.st_gid)
        os.fchmod(copy, facts.st_mode & 0o666)
        flush(copy)


def write_content(content: Iterable[bytes], like_this: int | None, target: int, new_name: bytes) -> Copied:
    """Write a new file with the owner, attributes, mode and times of an open one, if there is one, flush it, and read
    it back.

    Raises OSError as `copy_file`; what was begun is taken away again, whatever ends it.
    """
    hasher = blake3()
    with _new_file(target, new_name) as copy:
        size = 0
        for part in content:
            view = memoryview(part)
            while view:
                view = view[os.write(copy, view) :]
            hasher.update(part)
            size += len(part)
        lost = () if like_this is None else like(os.fstat(like_this), like_this, copy)
        flush(copy)
        forget_pages(copy)
        os.lseek(copy, 0, os.SEEK_SET)
        if digest_of(copy, size) != (hasher.digest(), size):
            raise OSError(errno.EIO, "what was written reads differently")
        return Copied(hasher.digest(), os.fstat(copy), lost)


def clone_file(original: int, like_this: int, target: int, new_name: bytes) -> None:
    """Make a copy-on-write clone of an open file, with times, mode and attributes of another.

    Raises OSError where the volume cannot; what was begun is taken away again. Linux only (FICLONE).
    """
    if sys.platform != "linux":
        raise OSError(errno.EOPNOTSUPP, "clones are not to be had on this system")
    import fcntl

    with _new_file(target, new_name) as copy:
        fcntl.ioctl(copy, FICLONE, original)
        like(os.fstat(like_this), like_this, copy)
        flush(copy)


@contextmanager
def _new_file(folder: int, name: bytes) -> Iterator[int]:
    """Open a new file in an open folder for the time of the block; take it away again if that fails."""
    descriptor = os.open(name, _NEW_FILE, 0o600, dir_fd=folder)
    try:
        yield descriptor
    except BaseException:
        made, now = os.fstat(descriptor), facts_of(folder, name)
        if now is not None and os.path.samestat(made, now):
            os.unlink(name, dir_fd=folder)
        raise
    finally:
        os.close(descriptor)


def like(facts: os.stat_result, original: int, copy: int) -> tuple[str, ...]:
    """Give an open copy the owner, attributes, mode and times of its original; return what it could not be given."""
    lost = []
    try:
        os.fchown(copy, facts.st_uid, facts.st_gid)
    except OSError:
        made = os.fstat(copy)
        if (made.st_uid, made.st_gid) != (facts.st_uid, facts.st_gid):
            lost.append("owner")
    lost += _copy_attributes(original, copy)
    with suppress(OSError):  # of volumes that know no modes
        os.fchmod(copy, facts.st_mode & 0o7777)
    if (os.fstat(copy).st_mode ^ facts.st_mode) & 0o7777:
        lost.append("mode")
    os.utime(copy, ns=(facts.st_atime_ns, facts.st_mtime_ns))
    return tuple(lost)


def _copy_attributes(original: int, copy: int) -> list[str]:
    """Copy extended attributes, access control lists among them, each for itself; return those that could not be."""
    if not hasattr(os, "listxattr"):
        return []
    try:
        names = os.listxattr(original)
    except OSError:
        return []
    lost = []
    for name in names:
        try:
            os.setxattr(copy, name, os.getxattr(original, name))
        except OSError:
            lost.append(name)
    return lost


def _copy_bytes(original: int, copy: int, facts: os.stat_result) -> bytes:
    """Copy what is read, leaving out what the original has as holes; return the digest."""
    hasher = blake3()
    buffer = memoryview(bytearray(_BUFFER))
    # Positions are asked for before the file is read from its beginning.
    holes = SparseWriter(copy, data_ranges(original, facts.st_size)) if has_holes(facts) else None
    os.lseek(original, 0, os.SEEK_SET)
    size = 0
    while got := os.readv(original, [buffer]):
        part = buffer[:got]
        hasher.update(part)
        size += got
        if holes:
            holes.write(part)
            continue
        written = 0
        while written < got:
            written += os.write(copy, part[written:])
    if holes:
        os.ftruncate(copy, size)
    return hasher.digest()
