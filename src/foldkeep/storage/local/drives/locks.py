"""One Fold Keep at a time changes a place, whatever stock it came with; the second one says who is at work.

The lock is a file in the place's fold, held by the system's own `flock`, which goes with the process. Where a
file system has none, or may keep it from other computers (shares, programs behind a mount), the file itself is
the lock: it is made with O_EXCL and names computer, boot, process and start, so that a dead one can be told.
What is done never rests on it alone: every change looks at its witness again.
"""

import errno
import fcntl
import json
import os
import secrets
import time
from collections.abc import Iterable, Iterator
from contextlib import ExitStack, contextmanager, suppress

from foldkeep.model.errors import PlaceBusy
from foldkeep.model.names import FOLD_NAME

from ...holders import counted, is_alive, is_here, is_mine, signature, words_of
from ..changes.folders import keeping_times
from ..reading.opening import FOLDER, facts_of
from .marks import MARK_NAME
from .volumes import is_local

WAIT_SECONDS = 5.0
LOCK_NAME = b"lock"
_LOCK_FILE = os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW | os.O_CLOEXEC
_NO_LOCKS = (errno.ENOSYS, errno.EOPNOTSUPP, errno.EINVAL, errno.ENOLCK, errno.EBADF)

_held: dict[bytes, int] = {}
"""Places that this process holds, with how many times it does."""


@contextmanager
def hold_places(
    places: Iterable[bytes], work: str, wait_seconds: float | None = None, *, break_lock: bool = False
) -> Iterator[None]:
    """Keep every other Fold Keep from changing these places until the block ends.

    Places are taken in order of their paths, so that two never wait for each other. A place that this process holds
    already is held on. One that cannot be written has nothing that could be changed, and is not held.

    Parameters
    ----------
    work
        The command's name, told to those who wait.
    break_lock
        Take locks from other computers, or from before this one was started anew, for dead.

    Raises
    ------
    PlaceBusy
        If somebody else holds one of them after `wait_seconds`, or some seconds.
    """
    with ExitStack() as held:
        for place in sorted(set(places)):
            held.enter_context(_hold(place, work, WAIT_SECONDS if wait_seconds is None else wait_seconds, break_lock))
        yield


@contextmanager
def _hold(place: bytes, work: str, wait_seconds: float, break_lock: bool) -> Iterator[None]:
    lock = None if place in _held else _taken(place, work, wait_seconds, break_lock)
    if lock is None and place not in _held:
        yield
        return
    try:
        with counted(_held, place):
            yield
    finally:
        if lock is not None:
            lock.give_back()


def _taken(place: bytes, work: str, wait_seconds: float, break_lock: bool) -> "_Lock | None":
    """Take the lock of a place; None if nothing can be written there."""
    until = time.monotonic() + wait_seconds
    while True:
        try:
            lock = _Lock(place)
        except FileNotFoundError:  # the fold was taken away just now, or the place itself is not there
            if os.path.isdir(place) and time.monotonic() < until:
                continue
            return None
        except OSError:
            return None
        try:
            holder = lock.taken_by(break_lock)
        except OSError:
            lock.close()
            return None
        if holder is None:
            if lock.is_mine_already:
                lock.close()
                return None
            lock.sign(work)
            return lock
        lock.close()
        if time.monotonic() >= until:
            raise PlaceBusy(*holder)
        time.sleep(0.05)


class _Lock:
    """The lock file of a place, open."""

    def __init__(self, place: bytes) -> None:
        self._place = place
        self._opened = ExitStack()
        self._is_flocked = False
        self.is_mine_already = False
        """Whether this process has it by another path: one folder may be seen through two mounts."""
        with ExitStack() as opened:
            top = os.open(place, FOLDER & ~os.O_NOFOLLOW)
            opened.callback(os.close, top)
            with keeping_times(top), suppress(FileExistsError):
                os.mkdir(FOLD_NAME, 0o700, dir_fd=top)
            self._fold = os.open(FOLD_NAME, FOLDER, dir_fd=top)
            opened.callback(os.close, self._fold)
            self._top = top
            try:
                self._file = os.open(LOCK_NAME, _LOCK_FILE | os.O_EXCL, 0o600, dir_fd=self._fold)
                self._is_new = True
            except FileExistsError:
                self._file = os.open(LOCK_NAME, _LOCK_FILE, 0o600, dir_fd=self._fold)
                self._is_new = False
            except OSError:
                with suppress(OSError), keeping_times(top):
                    os.rmdir(FOLD_NAME, dir_fd=top)
                raise
            opened.callback(os.close, self._file)
            self._opened = opened.pop_all()

    def close(self) -> None:
        """Let go of what is open; the system's lock goes with it."""
        self._opened.close()

    def taken_by(self, break_lock: bool) -> tuple[str, str] | None:
        """Take the lock; if somebody else has it, return who, and what to do."""
        try:
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            self._is_flocked = True
        except BlockingIOError:
            told = _told(self._file)
            if is_mine(told):
                self.is_mine_already = True
                return None
            return words_of(self._place, told), "wait until that is done, or stop it"
        except OSError as error:
            if error.errno not in _NO_LOCKS:
                raise
        if not self._is_still_there():
            return "", ""  # somebody gave it back and took it away; another try makes a new one
        told = _told(self._file)
        if is_mine(told):
            self.is_mine_already = True
            return None
        if self._is_new or not told:
            # A file that is there and says nothing was made a moment ago, or on a full disk, or before a power cut.
            return None if self._is_new or self._is_flocked else self._without_words()
        if self._is_flocked and is_local(self._place, os.fstat(self._fold).st_dev):
            return None
        here = is_here(told)
        if break_lock or (here and not is_alive(told)):
            return None if self._is_flocked else self._replaced()
        if here:
            return words_of(self._place, told), "wait until that is done, or stop it"
        return words_of(self._place, told), "if nothing works there any more, say --break-lock"

    def _without_words(self) -> tuple[str, str] | None:
        # Whoever made it writes into it at once; after a while it is litter of a full disk or a power cut.
        if time.time() - os.fstat(self._file).st_mtime > WAIT_SECONDS / 2:
            return self._replaced()
        return words_of(self._place, {}), "wait until that is done, or stop it"

    def _replaced(self) -> tuple[str, str] | None:
        """Take the file of a dead holder away, so that exactly one of those who want it makes the new one."""
        dead = LOCK_NAME + b"-" + secrets.token_hex(8).encode()
        with suppress(OSError):
            if self._is_still_there():
                os.rename(LOCK_NAME, dead, src_dir_fd=self._fold, dst_dir_fd=self._fold)
                os.unlink(dead, dir_fd=self._fold)
        return "", ""

    def _is_still_there(self) -> bool:
        facts = facts_of(self._fold, LOCK_NAME)
        fold = facts_of(self._top, FOLD_NAME)
        return (
            facts is not None
            and fold is not None
            and os.path.samestat(facts, os.fstat(self._file))
            and os.path.samestat(fold, os.fstat(self._fold))
        )

    def sign(self, work: str) -> None:
        """Write down who holds it."""
        told = signature(work)
        with suppress(OSError):  # on a full disk it is held all the same
            os.ftruncate(self._file, 0)
            os.pwrite(self._file, json.dumps(told).encode(), 0)

    def give_back(self) -> None:
        """Let go of the lock; the file goes, and the fold with it if nothing else is in that."""
        with suppress(OSError):
            if self._is_still_there():
                os.ftruncate(self._file, 0)
                others = set(os.listdir(self._fold)) - {os.fsdecode(LOCK_NAME)}
                is_last = not others
                if others <= {os.fsdecode(MARK_NAME)} or not self._is_flocked:
                    os.unlink(LOCK_NAME, dir_fd=self._fold)
                if is_last:
                    top = os.dup(self._top)
                    self.close()  # first: behind a mount (FUSE) what is open keeps another name in the fold
                    try:
                        with keeping_times(top):
                            os.rmdir(FOLD_NAME, dir_fd=top)
                    finally:
                        os.close(top)
        self.close()


def _told(descriptor: int) -> dict[str, object]:
    """Return what a lock file says of its holder; nothing where it is empty or not ours."""
    with suppress(OSError, ValueError, RecursionError):
        told = json.loads(os.pread(descriptor, 4096, 0))
        if isinstance(told, dict):
            return told
    return {}
