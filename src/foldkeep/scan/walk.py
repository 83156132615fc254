"""Walking a place: every regular file in it, folder by folder, without following a link."""

import marshal
import os
import time
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from operator import itemgetter

from blake3 import blake3

from foldkeep.model import Problem
from foldkeep.model.work import reason_of
from foldkeep.stock import Sighting
from foldkeep.storage.local.drives import has_one_device
from foldkeep.storage.local.reading import FOLDER, modified_ns, open_path

from .reading import COARSE_TICK_NS, tick_of
from .skip_rules import Looking

_MODIFIED = itemgetter(2)
_FAR_AHEAD_NS = 2**62

Row = tuple[str, int, int, int, int, int, int]
"""Name, size, modification time in ns, inode, links, owner, blocks: a file as listed; there may be very many."""


Entries = Iterator["os.DirEntry[str]"]
Watch = Callable[[Entries], Entries]


@dataclass(slots=True)
class Listing:
    """Names directly in one folder.

    Attributes
    ----------
    device, inode
        The system's numbers of the folder; 0 where it could not be opened.
    files
        The regular files that are looked at.
    folders
        Paths of the folders to walk next.
    passed
        How many names were passed by, for each reason.
    complete
        False if the folder could not be read to its end; what is missing then is not gone.
    listed_ns
        When it was listed, nanoseconds since the epoch.
    """

    path: bytes
    device: int = 0
    inode: int = 0
    files: list[Row] = field(default_factory=list)
    folders: list[bytes] = field(default_factory=list)
    passed: Counter[str] = field(default_factory=Counter)
    problems: list[Problem] = field(default_factory=list)
    complete: bool = True
    listed_ns: int = 0

    def fingerprint(self, salt: bytes) -> bytes | None:
        """Return what tells this listing from any other, or None if it cannot be relied on.

        `salt` is what else the stock's rows depend on.
        """
        if not self.complete or self.problems or self._has_fresh():
            return None
        # Version 2 of marshal knows no references, so equal rows give equal bytes.
        return blake3(salt + marshal.dumps(self.files, 2)).digest(16)

    def _has_fresh(self) -> bool:
        latest = max(map(_MODIFIED, self.files), default=0)
        if latest <= self.listed_ns - COARSE_TICK_NS:
            return False
        return any(self._is_fresh(row[2]) for row in self.files)

    def without_further_names(self, linked: set[tuple[int, int]]) -> list[Row]:
        """Return the files without those that were listed before under another name.

        Parameters
        ----------
        linked
            Devices and numbers of the files with several names so far; those of this listing are added.
        """
        found = []
        for row in self.files:
            one = (self.device, row[3])
            if row[4] > 1 and one in linked:
                continue
            if row[4] > 1:
                linked.add(one)
            found.append(row)
        return found

    def _is_fresh(self, modified_ns: int) -> bool:
        # A file that was changed less than that before it was listed may be changed again without its time telling.
        return modified_ns > self.listed_ns - tick_of(modified_ns)

    def sightings(self, looking: Looking) -> Iterator[Sighting]:
        """Yield the files as the stock takes them."""
        kind_of = looking.settings.kind_of
        for name, size, when_ns, inode, links, owner, blocks in self.files:
            raw = os.fsencode(name)
            fresh = int(self._is_fresh(when_ns))
            yield Sighting(raw, kind_of(raw), size, when_ns, inode, links, owner, fresh, blocks)


def walk(top: bytes, looking: Looking, watch: Watch = iter) -> Iterator[Listing]:
    """Yield a listing of every folder at and below `top`; `watch` is given the entries of each as they come.

    Folds are not entered, nor what `looking` passes by, nor other volumes unless it wants them, nor a folder
    a second time that is there under two paths. A folder that cannot be read is yielded with the problem.
    Memory grows with the number of folders, not of files.
    """
    device = os.stat(top).st_dev
    # A single file can be a mount point too; but some file systems give files other devices than their folders.
    tells_files = has_one_device(top, device)
    entered: set[tuple[int, int]] = set()
    waiting = [top]
    while waiting:
        listing = list_folder(waiting.pop(), device, looking, entered, tells_files, watch)
        if listing is not None:
            yield listing
            waiting.extend(sorted(listing.folders, reverse=True))


def list_folder(
    path: bytes,
    device: int,
    looking: Looking,
    entered: set[tuple[int, int]],
    tells_files: bool = True,
    watch: Watch = iter,
) -> Listing | None:
    """List one folder; None if it lies on another device than `device` or was entered already.

    Parameters
    ----------
    tells_files
        Whether a file of another device than its folder is one of another volume.
    """
    listing = Listing(path)
    try:
        descriptor = open_path(path, FOLDER)
    except OSError as error:
        return _cut_short(listing, error)
    try:
        facts = os.fstat(descriptor)
        if (facts.st_dev != device and not looking.volumes) or (facts.st_dev, facts.st_ino) in entered:
            return None
        entered.add((facts.st_dev, facts.st_ino))
        listing.device, listing.inode = facts.st_dev, facts.st_ino
        listing.listed_ns = time.time_ns()
        with os.scandir(descriptor) as entries:
            _note(listing, watch(entries), looking, tells_files)
    except OSError as error:
        return _cut_short(listing, error)
    finally:
        os.close(descriptor)
    return listing


def _note(listing: Listing, entries: Entries, looking: Looking, tells_files: bool) -> None:
    stem = listing.path.rstrip(b"/") + b"/"
    add = listing.files.append
    passes_file, odd_ends, all_odd = looking.passes_file, looking.odd_ends, looking.all_odd
    any_size, device = looking.any_size, listing.device
    for entry in entries:
        name = entry.name
        try:
            if entry.is_file(follow_symlinks=False):
                # A call a file would cost half of what the system takes to tell of it: nearly every name is plain.
                if (all_odd or name[-1] in odd_ends or name[0] == ".") and (reason := passes_file(name)):
                    listing.passed[reason] += 1
                    continue
                facts = entry.stat(follow_symlinks=False)
                if facts.st_dev != device and tells_files:
                    listing.passed["volumes"] += 1
                elif any_size or not looking.passes_size(facts.st_size):
                    when_ns = facts.st_mtime_ns
                    if not 0 <= when_ns < _FAR_AHEAD_NS:
                        when_ns = modified_ns(facts)
                    add((name, facts.st_size, when_ns, facts.st_ino, facts.st_nlink, facts.st_uid, facts.st_blocks))
                else:
                    listing.passed["size"] += 1
            elif entry.is_dir(follow_symlinks=False):
                path = stem + os.fsencode(name)
                folder_reason = looking.passes_folder(name, path)
                if folder_reason is None:
                    listing.folders.append(path)
                elif folder_reason:
                    listing.passed[folder_reason] += 1
        except OSError as error:
            listing.problems.append(Problem(stem + os.fsencode(name), reason_of(error)))


def _cut_short(listing: Listing, error: OSError) -> Listing:
    listing.problems.append(Problem(listing.path, reason_of(error)))
    listing.complete = False
    return listing
