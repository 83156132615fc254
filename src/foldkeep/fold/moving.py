"""Moving a name from one open folder to another so that nothing can be overwritten.

Every change that Fold Keep makes to a name goes through descriptors of folders that were opened without
following a link, so that nobody can put another folder in the way between a look and a change.
"""

import ctypes
import errno
import os
import sys
from collections import OrderedDict
from collections.abc import Callable
from contextlib import suppress
from functools import cache
from types import TracebackType
from typing import Self, cast

from foldkeep.model import beside
from foldkeep.scan import FOLDER, open_below

_MOST_NAMES = 10_000
_RENAME_NOREPLACE = 1  # linux/fs.h
_NOT_SUPPORTED = (errno.EINVAL, errno.ENOSYS, errno.EOPNOTSUPP)


def facts_of(folder: int, name: bytes) -> os.stat_result | None:
    """Return what a name in an open folder stands for, not following a link; None if there is none."""
    try:
        return os.stat(name, dir_fd=folder, follow_symlinks=False)
    except FileNotFoundError:
        return None


def move(source: int, name: bytes, target: int, new_name: bytes) -> None:
    """Rename a file from one open folder into another of the same volume, never onto an existing name.

    Where the system has no such rename, the file gets its new name as a hard link and then loses the old
    one; between the two it has both.

    Raises
    ------
    OSError
        FileExistsError if the new name is taken; otherwise what the system says.
    """
    try:
        _rename_without_replacing(source, name, target, new_name)
    except OSError as error:
        if error.errno not in _NOT_SUPPORTED:
            raise
        os.link(name, new_name, src_dir_fd=source, dst_dir_fd=target, follow_symlinks=False)
        os.unlink(name, dir_fd=source)


def move_to_free(source: int, name: bytes, target: int, wanted: bytes) -> bytes:
    """Move as `move` does, to the wanted name or the first one beside it that is free, and return that."""
    for number in range(1, _MOST_NAMES):
        with suppress(FileExistsError):
            move(source, name, target, beside(wanted, number))
            return beside(wanted, number)
    raise FileExistsError(errno.EEXIST, "no name is free for it there")


def _rename_without_replacing(source: int, name: bytes, target: int, new_name: bytes) -> None:
    renameat2 = _libc_renameat2()
    if renameat2 is None:
        raise OSError(errno.ENOSYS, os.strerror(errno.ENOSYS))
    if renameat2(source, name, target, new_name, _RENAME_NOREPLACE) != 0:
        code = ctypes.get_errno()
        raise OSError(code, os.strerror(code))


@cache
def _libc_renameat2() -> Callable[..., int] | None:
    if sys.platform != "linux":
        return None
    function = getattr(ctypes.CDLL(None, use_errno=True), "renameat2", None)
    if function is None:
        return None
    function.argtypes = (ctypes.c_int, ctypes.c_char_p, ctypes.c_int, ctypes.c_char_p, ctypes.c_uint)
    return cast(Callable[..., int], function)


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
        Times of last access and modification of each folder, in nanoseconds, when it was first opened; added to.
    """

    def __init__(
        self,
        top: bytes,
        most: int = 64,
        on_make: Callable[[bytes], None] | None = None,
        times: dict[bytes, tuple[int, int]] | None = None,
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
                self.first_times[folder] = (facts.st_atime_ns, facts.st_mtime_ns)
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
