"""Bringing what was written to the disk."""

import errno
import fcntl
import os

_FULL = getattr(fcntl, "F_FULLFSYNC", None)  # macOS, whose fsync leaves it to the drive when to write


def flush(descriptor: int) -> None:
    """Bring an open file or folder to the disk, through the drive's own cache; OSError if that fails."""
    if _FULL is not None:
        try:
            fcntl.fcntl(descriptor, _FULL)
        except OSError as error:  # a share, or a stick whose file system knows nothing of it
            if error.errno not in (errno.ENOTTY, errno.EINVAL, errno.EOPNOTSUPP):
                raise
        else:
            return
    os.fsync(descriptor)


def flush_volume(path: bytes) -> None:
    """Bring all that was written on the volume of a folder to the disk; one such wait serves every file."""
    import ctypes

    libc = ctypes.CDLL(None, use_errno=True)
    folder = os.open(path, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    try:
        if not hasattr(libc, "syncfs"):
            os.sync()
            flush(folder)  # what a drive of macOS was given before this is behind it
        elif libc.syncfs(folder) != 0:
            code = ctypes.get_errno() or errno.EIO
            raise OSError(code, os.strerror(code))
    finally:
        os.close(folder)
