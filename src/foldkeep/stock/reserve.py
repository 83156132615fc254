"""Room that is set aside beside a stock, so that a full disk can be freed by the command that frees it."""

import os
from contextlib import suppress

_SUFFIX = ".room"
_MOST = 8 << 20  # bytes: what the log of a run's notes takes, batch for batch, with as much again
_LEAST = 256 << 10
_FULL = 1 << 20  # a disk with less than that may not take the log
_SHARE = 16  # of the free space, at most one part in so many


def is_full(stock_path: str) -> bool:
    """Tell whether the disk of a stock has no room for the log of changes."""
    with suppress(OSError):
        return _free_beside(stock_path) < _FULL
    return False


def _free_beside(stock_path: str) -> int:
    facts = os.statvfs(os.path.dirname(os.path.abspath(stock_path)))
    return facts.f_bavail * facts.f_frsize


def set_aside(stock_path: str) -> None:
    """Keep some bytes of the disk of a stock for later, if none are kept there; on a disk with little room, none."""
    with suppress(OSError):
        _keep(stock_path, min(_MOST, _free_beside(stock_path) // _SHARE))


def set_aside_again(stock_path: str, given_up: int) -> None:
    """Take back what is left of the bytes that were given up."""
    with suppress(OSError):
        _keep(stock_path, min(given_up, _free_beside(stock_path)))


def _keep(stock_path: str, size: int) -> None:
    path = stock_path + _SUFFIX
    if os.path.exists(path):
        return
    while size >= _LEAST and not _kept(path, size):
        size -= _LEAST


def _kept(path: str, size: int) -> bool:
    """Have the disk keep bytes in a file of their own; False if it has not so many."""
    descriptor = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, 0o600)
    try:
        if hasattr(os, "posix_fallocate"):
            os.posix_fallocate(descriptor, 0, size)
        else:  # macOS
            for _ in range(size // _LEAST):
                os.write(descriptor, b"\0" * _LEAST)
    except OSError:
        os.unlink(path)
        return False
    finally:
        os.close(descriptor)
    return True


def give_up(stock_path: str) -> int:
    """Give the bytes that were kept back to the disk; return how many there were."""
    with suppress(OSError):
        size = os.stat(stock_path + _SUFFIX).st_size
        os.unlink(stock_path + _SUFFIX)
        return size
    return 0
