"""The folder where the user's programs keep what they can make again (XDG base directories), whether scanned or not."""

import os
from collections.abc import Iterator
from contextlib import suppress
from typing import NamedTuple

from foldkeep.model import Filter, PathBytes
from foldkeep.stock import Stock

_MOST = 200_000


class ProgramCache(NamedTuple):
    """A program's folder in it: its name, files, bytes on disk, and when one of its files was read or written last."""

    name: bytes
    files: int
    size: int
    used_ns: int


class UserCache(NamedTuple):
    """What lies in the user's cache folder.

    Attributes
    ----------
    programs
        The largest first.
    is_whole
        False where so much lies there that only a part was counted.
    is_scanned
        Whether the stock knows files in it.
    """

    path: PathBytes
    programs: tuple[ProgramCache, ...]
    is_whole: bool
    is_scanned: bool

    @property
    def files(self) -> int:
        """How many files were counted."""
        return sum(each.files for each in self.programs)

    @property
    def size(self) -> int:
        """Their bytes on disk."""
        return sum(each.size for each in self.programs)

    @property
    def used_ns(self) -> int:
        """When one of them was read or written last, in nanoseconds since the epoch."""
        return max((each.used_ns for each in self.programs), default=0)


def look_into_user_cache(stock: Stock, path: PathBytes) -> UserCache | None:
    """Count what lies in the user's cache folder, on its own volume, without following links; None if nothing does."""
    try:
        device = os.stat(path).st_dev
        with os.scandir(path) as entries:
            tops = sorted(entries, key=lambda entry: entry.name)
    except OSError:
        return None
    left = _MOST
    programs = []
    for top in tops:
        files = size = used_ns = 0
        for facts in _facts_below(top, device):
            files, size = files + 1, size + facts.st_blocks * 512
            used_ns = max(used_ns, facts.st_atime_ns, facts.st_mtime_ns)
            left -= 1
            if not left:
                break
        if files:
            programs.append(ProgramCache(top.name, files, size, used_ns))
        if not left:
            break
    if not programs:
        return None
    programs.sort(key=lambda each: (-each.size, each.name))
    known = next(iter(stock.listing.files(Filter(under=(path,)), limit=1)), None)
    return UserCache(path, tuple(programs), left > 0, known is not None)


def _facts_below(top: os.DirEntry[bytes], device: int) -> Iterator[os.stat_result]:
    """Yield what the system says of each file in a folder, at any depth, or of a file itself."""
    waiting = [top]
    while waiting:
        entry = waiting.pop()
        with suppress(OSError):
            facts = entry.stat(follow_symlinks=False)
            if entry.is_file(follow_symlinks=False):
                yield facts
            elif entry.is_dir(follow_symlinks=False) and facts.st_dev == device:
                with os.scandir(entry.path) as entries:
                    waiting += list(entries)
