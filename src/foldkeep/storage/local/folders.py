"""Folders that are held open while they are worked in."""

import os
from collections import OrderedDict
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from types import TracebackType
from typing import NamedTuple, Self

from .names import facts_of
from .opening import FOLDER, open_below


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
        for depth in range(len(steps)):
            above = open_below(self.top, b"/".join(steps[:depth]) or b".", FOLDER)
            try:
                if facts_of(above, steps[depth]) is None:
                    if self._on_make:
                        self._on_make(os.path.join(self.top, *steps[: depth + 1]))
                    os.mkdir(steps[depth], dir_fd=above)
                    os.fsync(above)
            except FileExistsError:
                pass
            finally:
                os.close(above)

    def close(self, path: bytes) -> None:
        """Close a folder, because it goes away."""
        if path in self._open:
            os.close(self._open.pop(path))

    def flush(self) -> None:
        """Make the names in all folders that are open last through a power cut."""
        for descriptor in self._open.values():
            os.fsync(descriptor)

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        while self._open:
            os.close(self._open.popitem()[1])
