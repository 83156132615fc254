"""Copies that are as good as the file: its bytes, times, mode and extended attributes, read back from the disk."""

import errno
import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager, suppress

from blake3 import blake3

from foldkeep.scan import FILE, digest_of, forget_pages

from .moving import facts_of

_BUFFER = 1024 * 1024
_FICLONE = 0x40049409  # linux/fs.h
_NEW_FILE = os.O_RDWR | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC


def copy_file(source: int, name: bytes, target: int, new_name: bytes) -> bytes:
    """Copy a file of one open folder into another, flush it, read it back, and return its digest.

    Raises
    ------
    OSError
        FileExistsError if the new name is taken; what the system says, and EIO if the copy reads differently.
        What was begun is taken away again.
    """
    original = os.open(name, FILE, dir_fd=source)
    try:
        facts = os.fstat(original)
        with _new_file(target, new_name) as copy:
            digest = _copy_bytes(original, copy)
            like(facts, original, copy)
            os.fsync(copy)
            forget_pages(copy)
            os.lseek(copy, 0, os.SEEK_SET)
            if digest_of(copy, facts.st_size) != (digest, facts.st_size):
                raise OSError(errno.EIO, "the copy reads differently from the original")
    finally:
        os.close(original)
    return digest


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
        os.fsync(copy)


def clone_file(original: int, like_this: int, target: int, new_name: bytes) -> None:
    """Make a copy-on-write clone of an open file, with times, mode and attributes of another.

    Raises OSError where the volume cannot; what was begun is taken away again. Linux only (FICLONE).
    """
    if sys.platform != "linux":
        raise OSError(errno.EOPNOTSUPP, "clones are not to be had on this system")
    import fcntl

    with _new_file(target, new_name) as copy:
        fcntl.ioctl(copy, _FICLONE, original)
        like(os.fstat(like_this), like_this, copy)
        os.fsync(copy)


@contextmanager
def _new_file(folder: int, name: bytes) -> Iterator[int]:
    """Open a new file in an open folder for the time of the block; take it away again if that fails."""
    descriptor = os.open(name, _NEW_FILE, 0o600, dir_fd=folder)
    try:
        yield descriptor
    except BaseException:
        os.unlink(name, dir_fd=folder)
        raise
    finally:
        os.close(descriptor)


def like(facts: os.stat_result, original: int, copy: int) -> None:
    """Give an open copy the owner, attributes, mode and times of its original, as far as the system lets us."""
    with suppress(OSError):
        os.fchown(copy, facts.st_uid, facts.st_gid)
    if hasattr(os, "listxattr"):
        with suppress(OSError):
            for attribute in os.listxattr(original):
                os.setxattr(copy, attribute, os.getxattr(original, attribute))
    os.fchmod(copy, facts.st_mode & 0o7777)
    os.utime(copy, ns=(facts.st_atime_ns, facts.st_mtime_ns))


def _copy_bytes(original: int, copy: int) -> bytes:
    hasher = blake3()
    buffer = memoryview(bytearray(_BUFFER))
    while got := os.readv(original, [buffer]):
        hasher.update(buffer[:got])
        written = 0
        while written < got:
            written += os.write(copy, buffer[written:got])
    return hasher.digest()


def same_content(folder: int, name: bytes, other_folder: int, other_name: bytes) -> bool:
    """Tell whether two names in open folders are regular files with the same bytes."""
    facts, other_facts = facts_of(folder, name), facts_of(other_folder, other_name)
    if facts is None or other_facts is None or facts.st_size != other_facts.st_size:
        return False
    digest = _digest_in(folder, name)
    return digest is not None and has_digest(other_folder, other_name, digest)


def has_digest(folder: int, name: bytes, digest: bytes) -> bool:
    """Tell whether a name in an open folder is a file with this content."""
    return _digest_in(folder, name) == digest


def _digest_in(folder: int, name: bytes) -> bytes | None:
    try:
        descriptor = os.open(name, FILE, dir_fd=folder)
    except OSError:
        return None
    try:
        return digest_of(descriptor, os.fstat(descriptor).st_size)[0]
    except OSError:
        return None
    finally:
        os.close(descriptor)
