"""One Fold Keep at a time changes a stock; the second one says who holds it."""

import fcntl
import os
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress

from foldkeep.model import UnusableInput, visible
from foldkeep.model.errors import StockBusy
from foldkeep.model.work import reason_of


@contextmanager
def hold(stock_path: str, work: str, wait_seconds: float) -> Iterator[None]:
    """Hold the stock for `work` (a command's name) until the block ends.

    The lock is the system's own on a file beside the stock: it goes with the process, however that ends.

    Raises
    ------
    StockBusy
        If another process still holds it after `wait_seconds`.
    """
    path = stock_path + ".lock"
    try:
        descriptor = os.open(path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
    except OSError as error:
        raise UnusableInput(
            f"cannot write beside the stock {visible(stock_path)}: {reason_of(error)}",
            "name another stock with --stock FILE",
        ) from error
    try:
        _acquire(descriptor, stock_path, wait_seconds)
        with suppress(OSError):  # a disk without room for a name is held as well
            os.ftruncate(descriptor, 0)
            os.pwrite(descriptor, f"foldkeep {work}, process {os.getpid()}".encode(), 0)
        yield
    finally:
        os.close(descriptor)


def holder(stock_path: str) -> str:
    """Return who holds the stock now, as ``foldkeep fold, process 12``; empty if nobody does, or nobody can tell."""
    try:
        descriptor = os.open(stock_path + ".lock", os.O_RDONLY | os.O_CLOEXEC)
    except OSError:
        return ""
    try:
        fcntl.flock(descriptor, fcntl.LOCK_SH | fcntl.LOCK_NB)
    except BlockingIOError:
        return visible(os.pread(descriptor, 200, 0)) or "another Fold Keep"
    except OSError:
        return ""
    finally:
        os.close(descriptor)
    return ""


def _acquire(descriptor: int, stock_path: str, wait_seconds: float) -> None:
    until = time.monotonic() + wait_seconds
    while True:
        try:
            fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
            return
        except BlockingIOError:
            if time.monotonic() >= until:
                holder = visible(os.pread(descriptor, 200, 0)) or "another Fold Keep"
                raise StockBusy(
                    f"the stock {visible(stock_path)} is held by {holder}",
                    "wait until that is done, or stop it",
                ) from None
            time.sleep(0.05)
