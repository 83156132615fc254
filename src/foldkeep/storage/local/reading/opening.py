"""Opening files and folders by paths of any length, without ever following a symbolic link."""

import errno
import os
from collections.abc import Iterator
from contextlib import contextmanager, suppress

from foldkeep.model.machines import is_elsewhere
from foldkeep.model.remote import is_remote

# Linux and macOS refuse longer paths in one call (PATH_MAX is 4096 and 1024), but not in several.
_LONGEST_PATH = 1000

FOLDER = os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW | os.O_CLOEXEC
# A name can become a FIFO between listing and opening; without O_NONBLOCK the open would wait for a writer.
FILE = os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC

_UNNOTICED = getattr(os, "O_NOATIME", 0)


def open_below(top: bytes, relative: bytes, flags: int, mode: int = 0o600) -> int:
    """Open `relative` below the folder `top` step by step and return the descriptor.

    Raises
    ------
    OSError
        As `os.open`; ELOOP or ENOTDIR where a step below `top` is a symbolic link; ENOENT for an empty
        step or one that leads up.
    """
    steps = relative.split(b"/")
    here = os.open(top, FOLDER & ~os.O_NOFOLLOW)
    try:
        for step in steps[:-1]:
            below = _open_step(step, FOLDER, here)
            os.close(here)
            here = below
        return _open_step(steps[-1], flags, here, mode)
    finally:
        os.close(here)


def _open_step(step: bytes, flags: int, folder: int, mode: int = 0o600) -> int:
    if step in (b"", b"..") or b"\0" in step:
        raise FileNotFoundError(2, "no such file or folder")
    return os.open(step, flags, mode, dir_fd=folder)


def _check_local(path: bytes) -> None:
    """Raise OSError for a path on a server or another machine: as one of this machine it would be another file's."""
    if is_remote(path):
        raise OSError(errno.EREMOTE, "lies on a server")
    if is_elsewhere(path):
        raise OSError(errno.EREMOTE, "lies on another machine")


def facts_at(path: bytes) -> os.stat_result:
    """Return what the system says of an absolute path, however long; a symbolic link at its end is not followed."""
    _check_local(path)
    if len(path) <= _LONGEST_PATH:
        return os.stat(path, follow_symlinks=False)
    folder = open_below(b"/", os.path.dirname(path).strip(b"/"), FOLDER)
    try:
        return os.stat(os.path.basename(path), dir_fd=folder, follow_symlinks=False)
    finally:
        os.close(folder)


def open_path(path: bytes, flags: int, mode: int = 0o600) -> int:
    """Open an absolute path, however long; the last step is not followed if it is a symbolic link.

    `mode` is for a file that is made so. Where the system allows it, reading by this descriptor does not count as a
    use of the file.
    """
    if flags == FILE and _UNNOTICED:
        with suppress(PermissionError):  # of files that belong to somebody else
            return _open_path(path, flags | _UNNOTICED, mode)
    return _open_path(path, flags, mode)


def open_in(folder: int, name: bytes | str, flags: int = FILE, mode: int = 0o600) -> int:
    """Open a name in an open folder, which is not followed if it is a symbolic link; `mode` is for a file made so."""
    return os.open(name, flags | os.O_NOFOLLOW | os.O_CLOEXEC, mode, dir_fd=folder)


def open_top(path: bytes | str) -> int:
    """Open a folder by its path, through links that its owner made on the way there."""
    _check_local(os.fsencode(path))
    return os.open(path, FOLDER & ~os.O_NOFOLLOW)


@contextmanager
def opened(path: bytes, flags: int = FILE) -> Iterator[int]:
    """Open an absolute path as `open_path` does for the time of the block, which is given the descriptor."""
    descriptor = open_path(path, flags)
    try:
        yield descriptor
    finally:
        os.close(descriptor)


def _open_path(path: bytes, flags: int, mode: int) -> int:
    _check_local(path)
    if len(path) <= _LONGEST_PATH:
        return os.open(path, flags, mode)
    return open_below(b"/", path.strip(b"/"), flags, mode)


def forget_pages(descriptor: int) -> None:
    """Have what is read of an open file next come from the disk, not from memory; what is not written yet stays."""
    if hasattr(os, "posix_fadvise"):
        os.posix_fadvise(descriptor, 0, 0, os.POSIX_FADV_DONTNEED)


def facts_of(folder: int, name: bytes) -> os.stat_result | None:
    """Return what a name in an open folder stands for, not following a link; None if there is none."""
    try:
        return os.stat(name, dir_fd=folder, follow_symlinks=False)
    except FileNotFoundError:
        return None
