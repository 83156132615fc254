"""Bringing what was written to the disk."""

import errno
import os


def flush_volume(path: bytes) -> None:
    """Bring all that was written on the volume of a folder to the disk; one such wait serves every file."""
    import ctypes

    libc = ctypes.CDLL(None, use_errno=True)
    folder = os.open(path, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    try:
        if not hasattr(libc, "syncfs"):
            os.sync()
        elif libc.syncfs(folder) != 0:
            code = ctypes.get_errno() or errno.EIO
            raise OSError(code, os.strerror(code))
    finally:
        os.close(folder)
