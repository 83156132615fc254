"""Every point at which Fold Keep looks at the disk or changes it, so that something can be done there.

A point is a call of ours on the file system, or a commit of the stock; it is visited before and after the call. Tests
kill the process there, make the call fail, or let another program act.
"""

import contextlib
import errno
import fcntl
import os
import shutil
import signal
import sqlite3
import sys
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path
from typing import NamedTuple

import foldkeep.storage.local.changes.names as names
from foldkeep.model.volumes import Capabilities
from foldkeep.stock import Stock
from harness.desks import Desk, read_everything

CHANGES = (
    "mkdir rmdir unlink link symlink rename fsync write pwrite utime fchmod fchown chmod remove setxattr ftruncate"
).split()
LOOKS = "stat lstat fstat listdir readlink open read pread readv preadv".split()
_OURS = f"{os.sep}foldkeep{os.sep}"
_PASSED_THROUGH = (__file__, contextlib.__file__, os.__file__, shutil.__file__)
_STORAGE = f"{_OURS}storage{os.sep}"
_QUIET = (f"foldkeep{os.sep}stock{os.sep}", f"foldkeep{os.sep}cli{os.sep}", f"foldkeep{os.sep}show{os.sep}")


@contextmanager
def lacking(what: str) -> Iterator[None]:
    """Take the system's rename that refuses away while the block lasts ("renames"), or hard links as well ("links")."""

    def no_link(*_args, **_named):
        raise PermissionError(errno.EPERM, os.strerror(errno.EPERM))

    real_libc, real_link = names._libc_rename, os.link
    try:
        if what:
            names._libc_rename = lambda: None
        if what == "links":
            os.link = no_link
        yield
    finally:
        names._libc_rename, os.link = real_libc, real_link


@dataclass
class Points:
    """Calls `visit` at every point, with the point's number from 1.

    Attributes
    ----------
    visit
        Is told the number, the call's name, and "before" or "after"; what it raises, the call raises.
    looks
        Whether looks at the disk are points as well.
    until
        The last point that anybody asks for; what comes after it is not looked at.
    site
        Where in our code the point is, for each number.
    """

    visit: Callable[[int, str, str], None]
    looks: bool = False
    until: int | None = None
    count: int = 0
    site: list[tuple[str, int, str, str]] = field(default_factory=list)
    _busy: bool = False

    def _point(self, name: str, when: str) -> None:
        if self._busy or self.count == self.until:
            return
        place = (name, 0, "", 0) if name == "piece" else _place_in_our_code()
        if place is None:
            return
        self.count += 1
        self.site.append((*place, name, when))
        self._busy = True
        try:
            self.visit(self.count, name, when)
        finally:
            self._busy = False

    def wrap(self, function, name: str):
        def wrapped(*args, **named):
            self._point(name, "before")
            result = function(*args, **named)
            try:
                self._point(name, "after")
            except OSError:
                if name in ("open", "create"):  # a call that fails leaves nothing open
                    os.close(result)
                raise
            return result

        return wrapped

    @contextmanager
    def armed(self, *, without: str = "") -> Iterator[None]:
        """Have every point visited while the block lasts; without "renames" that refuse, or "links" as well."""
        real = {name: getattr(os, name) for name in (*CHANGES, *(LOOKS if self.looks else ()), "open")}
        real_ioctl, real_rename = fcntl.ioctl, names._rename_without_replacing
        real_transaction = Stock.transaction

        create = self.wrap(real["open"], "create")
        look = self.wrap(real["open"], "open") if self.looks else real["open"]

        def opened(path, flags, *args, **named):
            if flags & os.O_CREAT:
                return create(path, flags, *args, **named)
            return look(path, flags, *args, **named)

        @contextmanager
        def transaction(stock, **named):
            with real_transaction(stock, **named) as renew:
                yield renew
                self._point("commit", "before")
            self._point("commit", "after")

        try:
            for name, function in real.items():
                setattr(os, name, self.wrap(function, name))
            os.open = opened
            fcntl.ioctl = self.wrap(real_ioctl, "ioctl")
            if not without:
                names._rename_without_replacing = self.wrap(real_rename, "rename")
            Stock.transaction = transaction
            with lacking(without):
                yield
        finally:
            for name, function in real.items():
                setattr(os, name, function)
            fcntl.ioctl, names._rename_without_replacing = real_ioctl, real_rename
            Stock.transaction = real_transaction


def _place_in_our_code() -> tuple[str, int, str, int] | None:
    """Return the line of our code that made a call, and the first one above that is not of the storage.

    What takes away our own files is called from many places; each of them is one to visit.

    None if somebody else's code made it, or code that has nothing to do with users' files.
    """
    frame = sys._getframe(2)
    while frame is not None and frame.f_code.co_filename in _PASSED_THROUGH:
        frame = frame.f_back
    if frame is None:
        return None
    name, is_counted, _ = _about(frame.f_code.co_filename)
    if not is_counted:
        return None
    line = frame.f_lineno
    while frame is not None and not (above := _about(frame.f_code.co_filename)).is_above:
        frame = frame.f_back
    return (name, line, above.name, frame.f_lineno) if frame else (name, line, "", 0)


class _About(NamedTuple):
    """A file of code: its name among ours, whether its calls are points, and whether it is named as their caller."""

    name: str
    is_counted: bool
    is_above: bool


@cache
def _about(path: str) -> _About:
    is_ours = _OURS in path
    is_above = is_ours and f"{os.sep}storage{os.sep}" not in path and not path.endswith(_OWN_AWAY)
    return _About(path.rpartition(_OURS)[2], is_ours and not any(quiet in path for quiet in _QUIET), is_above)


_OWN_AWAY = os.path.join("fold", "removing", "own.py")
STRIDE = int(os.environ.get("FOLDKEEP_STRIDE", "1"))
"""In the long tests, of all that can happen at a point only every so-manyth is tried, another one at each point."""


def know_volumes(desk: Desk) -> None:
    """Have the stock know what its volumes can do, so that nothing is tried out on them at every point again."""
    with Stock.open(os.fspath(desk.stock)) as stock, stock.transaction():
        for volume in stock.places.volumes():
            stock.places.set_capabilities(volume, Capabilities())


def befores(sites: list[tuple]) -> list[int]:
    """Return the numbers of the points before calls; what is after one is before the next."""
    return [number for number, site in enumerate(sites, start=1) if site[-1] == "before"]


def kill_at(number: int) -> Callable[[int, str, str], None]:
    """Return what kills the process with SIGKILL at a point."""
    return lambda at, *_: os.kill(os.getpid(), signal.SIGKILL) if at == number else None


def fail_from(number: int) -> Callable[[int, str, str], None]:
    """Return what makes every call fail from a point on, as a drive does that is pulled."""

    def fails(at: int, *_: str) -> None:
        if at >= number:
            raise OSError(errno.EIO, os.strerror(errno.EIO))

    return fails


class Unvisited:
    """Tells which points are at places in the code that were not visited so far, each place once."""

    def __init__(self) -> None:
        self._seen: set[tuple] = set()

    def of(self, numbers: Iterable[int], sites: list[tuple]) -> list[int]:
        """Return those of the points that are at new places."""
        found = []
        for number in numbers:
            if sites[number - 1] not in self._seen:
                self._seen.add(sites[number - 1])
                found.append(number)
        return found


def is_look(site: tuple) -> bool:
    """Tell whether a point is at a look, not at a change."""
    return site[-2] in LOOKS


def every_content(*tops: Path, but_for: bytes = b"\0") -> set[str]:
    """Return the SHA-256 of every content below folders, but for what Fold Keep writes for itself into folds."""
    return {
        digest
        for top in tops
        for path, digest, _ in read_everything(os.fsencode(top))
        if os.path.basename(path) not in (b"journal-2.jsonl", b"README.txt", b"lock", b"place")
        and not os.path.basename(path).startswith(but_for)
    }


FAULTS = {name: getattr(errno, name) for name in ("EIO", "ENOSPC", "EACCES", "EROFS", "ESTALE")}


def settled_well(desk: Desk, where: str) -> None:
    """The ledger agrees with the disk: what waits is in the fold, what is moved is there, nothing is open."""
    with suppress(KeyError, ValueError):
        runs = desk.ask("ledger")["runs"]
        for run in runs:
            assert not run["underway"], where
            assert not run["files"]["planned"], where
        waiting = sum(run["files"]["waiting"] for run in runs)
        with contextlib.closing(sqlite3.connect(desk.stock)) as stock:
            keys = [key for (key,) in stock.execute("SELECT key FROM runs")]
        slots = [path for key in keys for path in desk.place.glob(f"**/.foldkeep/{key}/files/[0-9]*")]
        assert waiting == len(slots), where
        details = [each for run in runs for each in desk.ask("ledger", str(run["run"]))["runs"][0]["details"]]
        for each in details:
            if each["state"] == "moved":
                assert Path(each["target"]["path"]).exists(), where
