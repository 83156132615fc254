"""Folders that are held open while they are worked in."""

import os
import stat
from collections import OrderedDict
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from types import TracebackType
from typing import NamedTuple, Self

from ..reading.opening import FOLDER, facts_of, open_below
from .flushing import flush


class FolderTimes(NamedTuple):
    """Times of last access and modification of a folder, in nanoseconds."""

    accessed_ns: int
    modified_ns: int


@contextmanager
def keeping_times(folder: int) -> Iterator[None]:
    """Let an open folder keep its times while a name of our own is made or taken away in it."""
    before = os.fstat(folder)
    yield
    if os.fstat(folder).st_mtime_ns != before.st_mtime_ns:
        with suppress(OSError):  # of folders that belong to somebody else
            os.utime(folder, ns=(before.st_atime_ns, before.st_mtime_ns))


class Folders:
    """Folders below one place, held open while they are worked in.

    Every step below the place is opened without following a link.

    Parameters
    ----------
    most
        How many stay open at a time.
    on_make
        Is told the path of a folder before it is made.
    times
        Times of each folder when it was first opened, by path; added to.
    """

    def __init__(
        self,
        top: bytes,
        most: int = 64,
        on_make: Callable[[bytes], None] | None = None,
        times: dict[bytes, FolderTimes] | None = None,
    ) -> None:
        self.top = top
        self.first_times = {} if times is None else times
        self._most = most
        self._on_make = on_make
        self._open: OrderedDict[bytes, int] = OrderedDict()

    def of(self, path: bytes, *, make: bool = False) -> tuple[int, bytes]:
        """Return the open folder that holds `path`, and the last step of `path`.

        The descriptor stays open until `most` others have been asked for.

        Parameters
        ----------
        make
            Make the folders on the way that are not there.
        """
        folder, _, name = path.rpartition(b"/")
        if folder not in self._open:
            relative = os.path.relpath(folder or b"/", self.top)
            if make:
                self._make(relative)
            self._open[folder] = descriptor = open_below(self.top, relative, FOLDER)
            if folder not in self.first_times:
                facts = os.fstat(descriptor)
                self.first_times[folder] = FolderTimes(facts.st_atime_ns, facts.st_mtime_ns)
            if len(self._open) > self._most:
                os.close(self._open.popitem(last=False)[1])
        self._open.move_to_end(folder)
        return self._open[folder], name

    def _make(self, relative: bytes) -> None:
        steps = relative.split(b"/")
        above = open_below(self.top, b".", FOLDER)
        try:
            for depth, step in enumerate(steps, start=1):
                with suppress(FileExistsError):
                    if facts_of(above, step) is None:
                        if self._on_make:
                            self._on_make(os.path.join(self.top, *steps[:depth]))
                        os.mkdir(step, dir_fd=above)
                        flush(above)
                below = os.open(step, FOLDER, dir_fd=above)
                os.close(above)
                above = below
        finally:
            os.close(above)

    def close(self, path: bytes) -> None:
        """Close a folder, because it goes away."""
        if path in self._open:
            os.close(self._open.pop(path))

    def flush(self) -> None:
        """Make the names in all folders that are open last through a power cut."""
        for descriptor in self._open.values():
            flush(descriptor)

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        while self._open:
            os.close(self._open.popitem()[1])


def take_away(path: bytes) -> None:
    """Remove a folder of our own with all that is in it, however deep and whatever the modes; what cannot go stays.

    Folders are brought up to the top before they are emptied, so that nothing recurs and no path grows long.
    """
    with suppress(OSError):
        top = os.open(path, FOLDER)
        try:
            _open_up(top)
            ahead = [os.fsencode(name) for name in os.listdir(top)]
            brought = 0
            while ahead:
                name = ahead.pop()
                if _unlinked(top, name):
                    continue
                folder = os.open(name, FOLDER, dir_fd=top)
                try:
                    _open_up(folder)
                    for inner in map(os.fsencode, os.listdir(folder)):
                        if not _unlinked(folder, inner):
                            brought += 1
                            with suppress(OSError):
                                os.chmod(inner, 0o700, dir_fd=folder)  # a folder that moves is itself written
                            os.rename(inner, b".brought-%d" % brought, src_dir_fd=folder, dst_dir_fd=top)
                            ahead.append(b".brought-%d" % brought)
                finally:
                    os.close(folder)
                os.rmdir(name, dir_fd=top)
        finally:
            os.close(top)
        os.rmdir(path)


def _open_up(folder: int) -> None:
    with suppress(OSError):  # FAT by FUSE has no modes, and says so by an error
        os.fchmod(folder, 0o700)


def _unlinked(folder: int, name: bytes) -> bool:
    """Unlink a name; tell whether it is gone, which a folder is not."""
    if stat.S_ISDIR(os.stat(name, dir_fd=folder, follow_symlinks=False).st_mode):
        return False
    os.unlink(name, dir_fd=folder)
    return True
