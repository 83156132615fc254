"""The desktop's bins: what lies in them, where it was, and since when (freedesktop.org Trash specification 1.0)."""

import os
import stat
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass, field
from typing import NamedTuple

from foldkeep.formats.documents import LONGEST_BIN_INFO, BinInfo, read_bin_info
from foldkeep.model import PathBytes, Problem
from foldkeep.model.bin_names import may_lie_in_a_bin
from foldkeep.model.files import BLOCK_BYTES
from foldkeep.model.kinds import kind_of
from foldkeep.model.work import reason_of
from foldkeep.stock import Stock
from foldkeep.storage import storage_at
from foldkeep.storage.local.reading import FILE, modified_ns, open_in, open_top

from .places import places_here

_FILES, _INFO, _SUFFIX = b"files", b"info", b".trashinfo"
_OF_OTHERS = (b"$RECYCLE.BIN", b"RECYCLER", b".Trashes")


def lies_in_a_bin(path: PathBytes) -> bool:
    """Tell whether a file lies in a bin: by its names, or by the layout of one, ``files`` beside ``info`` that tells of
    it. What lies there may be gone tomorrow, so it stands for nothing.
    """
    if may_lie_in_a_bin(path):
        return True
    steps = path.split(b"/")
    return any(
        step == _FILES
        and os.path.lexists(b"/".join((*steps[:at], _INFO, steps[at + 1] + _SUFFIX)))
        for at, step in enumerate(steps[:-1])
    )  # fmt: skip


class BinFile(NamedTuple):
    """A file in a bin."""

    path: PathBytes
    size: int
    disk_bytes: int
    modified_ns: int
    inode: int
    links: int

    @property
    def kind(self) -> str:
        """Its kind, by its name."""
        return kind_of(os.path.basename(self.path))


class BinItem(NamedTuple):
    """What went into a bin at once: a file, or a folder with all in it.

    Attributes
    ----------
    bin
        The bin, which has the folders ``files`` and ``info``.
    name
        Its name in ``files``.
    original
        Where it was; empty if that is not known.
    deleted_ns
        When it went there; None if that is not known.
    files
        All regular files that it is, or that lie in it.
    is_complete
        Whether all of it could be looked at.
    """

    bin: PathBytes
    name: bytes
    original: PathBytes
    deleted_ns: int | None
    files: tuple[BinFile, ...]
    is_folder: bool = False
    is_complete: bool = True

    @property
    def path(self) -> PathBytes:
        """Where it lies now."""
        return os.path.join(self.bin, _FILES, self.name)

    @property
    def info(self) -> PathBytes:
        """Where it is written down."""
        return os.path.join(self.bin, _INFO, self.name + _SUFFIX)

    @property
    def size(self) -> int:
        """The sum of the sizes of its files."""
        return sum(file.size for file in self.files)


@dataclass
class Bins:
    """The bins of some volumes.

    Attributes
    ----------
    items
        What lies in bins of this specification, the longest there first; what has no date last.
    others
        Bins of other systems, each with its files and bytes; only those systems empty them.
    """

    items: list[BinItem] = field(default_factory=list)
    others: dict[PathBytes, tuple[int, int]] = field(default_factory=dict)
    problems: list[Problem] = field(default_factory=list)


def read_bins(stock: Stock, data_home: PathBytes) -> Bins:
    """Look into the user's own bin, and into those at the top of each volume that has a place which is here.

    Parameters
    ----------
    data_home
        The user's data folder, in which the first of the bins lies (XDG base directories).
    """
    found = Bins()
    seen: set[tuple[int, int]] = set()
    for bin_, top in _known_bins(stock, data_home):
        try:
            facts = os.lstat(bin_)
            if not stat.S_ISDIR(facts.st_mode) or (facts.st_dev, facts.st_ino) in seen:
                continue  # a link may lead anywhere
            seen.add((facts.st_dev, facts.st_ino))
            found.items += _items(bin_, top, found.problems)
        except FileNotFoundError:
            continue
        except OSError as error:
            found.problems.append(Problem(bin_, reason_of(error)))
    for top in _tops(stock):
        for name in _OF_OTHERS:
            files = tuple(_files_in(os.path.join(top, name)))
            if files:
                found.others[os.path.join(top, name)] = (len(files), sum(file.size for file in files))
    found.items.sort(key=lambda item: (item.deleted_ns is None, item.deleted_ns or 0, item.path))
    return found


def _known_bins(stock: Stock, data_home: PathBytes) -> Iterator[tuple[PathBytes, PathBytes]]:
    """Yield where a bin may be, with the folder that relative paths in it start from."""
    yield os.path.join(data_home, b"Trash"), b"/"
    user = str(os.getuid()).encode()
    for top in _tops(stock):
        shared = os.path.join(top, b".Trash")
        with suppress(OSError):
            facts = os.lstat(shared)
            # The specification has it ignored unless nobody can take away there what is another's.
            if stat.S_ISDIR(facts.st_mode) and facts.st_mode & stat.S_ISVTX:
                yield os.path.join(shared, user), top
        yield os.path.join(top, b".Trash-" + user), top


def _tops(stock: Stock) -> list[PathBytes]:
    """Return where the volumes of places are mounted that are here."""
    here = places_here(stock)
    found: dict[PathBytes, None] = {}
    for place in stock.places.all():
        if place.id in here:
            with suppress(OSError):
                found[storage_at(place.path).volume_of(place.path, os.stat(place.path).st_dev).mount] = None
    return list(found)


def _items(bin_: PathBytes, top: PathBytes, problems: list[Problem]) -> Iterator[BinItem]:
    try:
        entries = sorted(os.scandir(os.path.join(bin_, _FILES)), key=lambda entry: entry.name)
    except FileNotFoundError:
        return
    for entry in entries:
        info = _info_of(os.path.join(bin_, _INFO, entry.name + _SUFFIX))
        original = os.path.join(top, info.path) if info.path else b""
        is_folder = entry.is_dir(follow_symlinks=False)
        before = len(problems)
        files = tuple(_files_in(entry.path, problems))
        yield BinItem(bin_, entry.name, original, info.deleted_ns, files, is_folder, len(problems) == before)


def _info_of(path: PathBytes) -> BinInfo:
    try:
        folder = open_top(os.path.dirname(path))
        try:
            with open(open_in(folder, os.path.basename(path), FILE), "rb") as stream:
                return read_bin_info(stream.read(LONGEST_BIN_INFO))
        finally:
            os.close(folder)
    except OSError:
        return BinInfo(b"", None)


def _files_in(path: PathBytes, problems: list[Problem] | None = None) -> Iterator[BinFile]:
    """Yield the regular files at and below a path; links are not followed."""

    def note(error: OSError) -> None:
        if problems is not None:
            problems.append(Problem(os.fsencode(error.filename or path), reason_of(error)))

    try:
        facts = os.lstat(path)
    except OSError:
        return
    if stat.S_ISREG(facts.st_mode):
        yield _bin_file(path, facts)
    if not stat.S_ISDIR(facts.st_mode):
        return
    for folder, _, names in os.walk(path, onerror=note):
        for name in sorted(names):
            inner = os.path.join(folder, name)
            try:
                facts = os.lstat(inner)
            except OSError as error:
                note(error)
                continue
            if stat.S_ISREG(facts.st_mode):
                yield _bin_file(inner, facts)


def _bin_file(path: PathBytes, facts: os.stat_result) -> BinFile:
    disk = facts.st_blocks * BLOCK_BYTES
    return BinFile(path, facts.st_size, disk, modified_ns(facts), facts.st_ino, facts.st_nlink)
