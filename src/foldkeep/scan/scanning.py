"""Scanning: what lies in the places, and the digest of everything that can have a copy."""

import os
import time
from collections import Counter
from collections.abc import Callable, Collection, Sequence
from concurrent.futures import Executor
from contextlib import closing, suppress
from functools import partial
from operator import itemgetter
from typing import NamedTuple

from foldkeep.model import PathBytes, Place, Problem, Progress, Settings, Step, no_progress
from foldkeep.model.names import lies_below
from foldkeep.model.remote import is_remote
from foldkeep.model.units import is_clock_change
from foldkeep.stock import Backlog, Shared, Stock
from foldkeep.storage import storage_at
from foldkeep.storage.local.drives import DiskFinder, keeps_inodes, may_fall_silent
from foldkeep.storage.local.reading import facts_at, may_be_one, modified_ns
from foldkeep.storage.remote import remote_storage

from .afar import NO_ANSWER, FarPlaces
from .clones import extent_of
from .places import Presence, places_here, presence, renewed
from .pool import Pool
from .reading import perhaps_rewritten, read_ends, read_whole
from .remote import REMOTE_DEVICE, note_quota, walk_remote, why_unreachable
from .report import ScanReport
from .skip_rules import Looking
from .stated import take_stated
from .walk import Listing, walk

# Files of at least this size are read while the walk goes on; smaller ones would only keep it waiting for
# the interpreter, and are read once it is done.
_LARGE_FILE = 4 * 1024 * 1024
_SAMPLE, _LEAST_ANEW = 200, 4

_AWAY = {
    Presence.AWAY: "this place is away; what is known of it stays",
    Presence.SILENT: NO_ANSWER,
    Presence.OTHER: "another volume is there now; name the place to have it scanned as it is",
}


def scan(
    stock: Stock,
    places: Sequence[Place],
    executor: Executor,
    progress: Progress = no_progress,
    settings: Settings | None = None,
    *,
    read_all: bool = False,
    read_kinds: Collection[str] = (),
) -> ScanReport:
    """Bring the stock up to date with what lies in `places`, and hash what can have a copy.

    A file can have a copy if another one in the stock has its size; it is read whole if another has its
    size and its first and last block. What was read before and has not changed (size, modification time,
    inode and volume) is not read again, even where it was moved. What was read is written down as it comes,
    so an interrupted scan goes on where it was.

    Parameters
    ----------
    stock
        A stock that is held.
    executor
        Runs the reading; a pool of threads serves well, since reading and hashing leave the GIL free.
    settings
        What to look at; the built-in ones when None.
    read_all
        Read every file in these places whole, also where no other file can have its content: then contents can
        be compared with those of other stocks. What was read before is read again, unless the time of its last
        status change, which no program can set, shows that nobody wrote to it since.
    read_kinds
        Read every file of these kinds so, that what is measured of their contents can be kept.

    Returns
    -------
    ScanReport
        With a problem for every file or folder that could not be read; none of them ends the scan.
    """
    started = time.monotonic()
    report = ScanReport()
    began_ns = time.time_ns()
    number = stock.files.new_scan(began_ns)
    far = FarPlaces()
    with closing(far), stock.transaction(flush=False) as renew:
        pool = Pool(stock, executor, report, renew, progress, far)
        walked: set[int] = set()
        try:
            for place in _with_inner(stock, places):
                if _look(stock, place, number, settings or Settings(), report, pool, far, progress):
                    walked.add(place.id)
                    if place in places:
                        report.places.append(place.path)
            report.moved = stock.moves.recognise_moved()
            here = places_here(stock) | {place.id for place in places if place.path in report.places}
            pool.drain()
            again: list[int] = []
            kinds = None if read_all else read_kinds
            if read_all or read_kinds:
                before = stock.contents.read_before(here & {place.id for place in places}, kinds)
                again = [number for number in perhaps_rewritten(before) if not pool.has_read(number)]
            pool.finish(read_ends, stock.contents.to_read_ends(places=here))
            report.moved += stock.moves.recognise_moved_by_ends(report.without_inodes)
            pool.finish(read_whole, stock.contents.to_read_whole(places=here))
            stated = take_stated(stock, here, progress)
            pool.finish(read_whole, stock.contents.to_read_numbered(stated.to_read))
            report.stated = stated.files + stock.contents.spread_stated()
            if read_all or read_kinds:
                rest = here & {place.id for place in places}
                pool.finish(read_whole, stock.contents.to_read_rest(rest, kinds))
                pool.finish(read_whole, stock.contents.to_read_numbered(again))
            if report.rewritten:  # they may be copies of others than before
                pool.finish(read_ends, stock.contents.to_read_ends(places=here))
                pool.finish(read_whole, stock.contents.to_read_whole(places=here))
            _look_for_clones(stock, far)
            _look_for_second_mounts(stock, far)
            for place in stock.places.all():
                if place.id in walked:  # only now: while copies are not read, answers lack them
                    stock.places.change(place._replace(scanned_ns=began_ns))
        except BaseException:
            renew()
            raise
        finally:
            pool.close()
    report.seconds = time.monotonic() - started
    return report


def read_contents(
    stock: Stock,
    kinds: Collection[str],
    executor: Executor,
    progress: Progress = no_progress,
    under: Collection[PathBytes] = (),
) -> ScanReport:
    """Read the files of some kinds whole that were not yet, in all places that are here, as the last scan saw them.

    Where folders are named, only those `under` them. The other parameters and problems are those of `scan`.
    """
    return _read_whole(stock, partial(stock.contents.to_read_rest, kinds=kinds, under=under), executor, progress)


def read_shared(stock: Stock, shared: Shared, executor: Executor, progress: Progress = no_progress) -> ScanReport:
    """Read the files whole, in all places that are here, that may share something with another content.

    Parameters and problems are those of `scan`.
    """
    return _read_whole(stock, partial(stock.contents.to_read_shared, shared=shared), executor, progress)


def _read_whole(
    stock: Stock, backlog: Callable[[Collection[int]], Backlog], executor: Executor, progress: Progress
) -> ScanReport:
    report = ScanReport()
    far = FarPlaces()
    with closing(far), stock.transaction(flush=False) as renew:
        pool = Pool(stock, executor, report, renew, progress, far)
        here = places_here(stock)
        try:
            pool.finish(read_whole, backlog(here))
        except BaseException:
            renew()
            raise
        finally:
            pool.close()
    return report


def _look_for_clones(stock: Stock, far: FarPlaces) -> None:
    """Look again at files beside which a clone has turned up: it may be theirs."""
    for number, path in stock.contents.perhaps_cloned():
        if far.top_of(path):
            continue  # only drives of this computer tell where a file lies
        try:
            extent = extent_of(path)
        except OSError:
            continue  # it is not there now, and was listed as a problem where that is one
        stock.contents.set_read([(None, None, None, extent, None, number)])


def _look_for_second_mounts(stock: Stock, far: FarPlaces) -> None:
    """Find files that are one, seen through two mounts, and have them count as names of one file."""
    volumes = stock.places.volumes()
    if len(volumes) < 2:
        return
    for alike in stock.contents.seen_on_two_volumes():
        found: list[tuple[int, os.stat_result]] = []
        # What is known of the disk under one of the views is true of the file.
        for number, volume, path in sorted(alike, key=lambda each: (bool(volumes[each[1]].disks.why), each[1])):
            if far.top_of(path) in far.silent:
                continue
            try:
                facts = facts_at(path)
            except OSError:
                continue  # a volume that is away: whether it is the same file is asked again before anything is done
            first = next((at for at, other in found if at != volume and may_be_one(facts, other)), None)
            if first is None:
                found.append((volume, facts))
            else:
                stock.contents.set_volume(number, first)


def _with_inner(stock: Stock, places: Sequence[Place]) -> list[Place]:
    """Return places in order of path, with those that lie in one of them and are here: each is walked by its own
    rules, whatever the one around it passes by.
    """
    inner = [
        place for place in stock.places.all()
        if place not in places and any(lies_below(place.path, outer.path) for outer in places)
        and (is_remote(place.path) or presence(stock, place) is Presence.HERE)
    ]  # fmt: skip
    return sorted([*places, *inner], key=lambda place: place.path)


def _look(
    stock: Stock,
    top: Place,
    scan: int,
    settings: Settings,
    report: ScanReport,
    pool: Pool,
    far: FarPlaces,
    progress: Progress,
) -> bool:
    """Walk one place, write what changed into the stock, and have large files read meanwhile; False if it is away."""
    why_not = why_unreachable(top) if is_remote(top.path) else _AWAY.get(presence(stock, top), "")
    if why_not:
        report.problems.append(Problem(top.path, why_not))
        return False
    inner = [place.path for place in stock.places.all() if lies_below(place.path, top.path)]
    looking = Looking(settings, top.asked, inner)
    salt = repr(sorted(settings.kinds.items())).encode()
    incomplete: list[bytes] = []
    early, any_news, disks = _EarlyReading(pool), False, DiskFinder()
    if is_remote(top.path):
        note_quota(stock, top)
        changed, volumes = _Changed(by_inode=False), {REMOTE_DEVICE: top.volume}
        listings = walk_remote(top.path, looking, remote_storage(top.path))
    else:
        top = renewed(stock, top)
        stock.places.set_disks(top.volume, disks.disks_of(top.path, os.stat(top.path).st_dev))
        changed, volumes = _changed_as_a_whole(stock, top), {os.stat(top.path).st_dev: top.volume}
        if may_fall_silent(top.path):
            far.add(top.path)
        listings = far.walk(top.path, looking) if far.top_of(top.path) else walk(top.path, looking)
    for listing in listings:
        files = listing.without_further_names(report.linked)
        report.files += len(files)
        report.bytes += sum(map(itemgetter(1), files))
        report.passed += listing.passed
        report.problems += listing.problems
        if not listing.complete:
            incomplete.append(listing.path)
        if listing.device:
            if listing.device not in volumes:
                facts = storage_at(listing.path).volume_of(listing.path, listing.device)
                volumes[listing.device] = stock.places.volume(facts.key, facts.name)
                stock.places.set_disks(volumes[listing.device], disks.disks_of(listing.path, listing.device))
            if not changed.by_inode:
                report.without_inodes.add(volumes[listing.device])
            any_news |= _take(stock, listing, top.id, volumes[listing.device], scan, looking, salt, changed)
        if pool.commit_now_and_then():
            progress(Step("Looking into folders", report.files, None, "files"))
            early.read(stock, scan, is_news=any_news)
    stock.files.miss_folders_below(top.path, scan, [*incomplete, *inner])
    return top.path not in far.silent


class _Changed(NamedTuple):
    """Differences that all files of a place share, so that they tell of no file that it changed.

    Attributes
    ----------
    by_inode
        False where inode numbers are others than they were. So they are on FAT and exFAT whenever these are mounted,
        and where a program behind a mount (FUSE) keeps none.
    shift_ns
        How much later all times are. FAT keeps the time of the clock on the wall, which is set twice a year.
    """

    by_inode: bool = True
    shift_ns: int = 0


def _changed_as_a_whole(stock: Stock, top: Place) -> _Changed:
    """Look at a sample of a place for what changed of all files and nothing else did."""
    inodes: Counter[bool] = Counter()
    shifts: Counter[int] = Counter()
    for path, size, when_ns, inode in stock.moves.sample(top.id, _SAMPLE):
        with suppress(OSError):
            facts = facts_at(path)
            shift = modified_ns(facts) - when_ns
            if facts.st_size == size and (not shift or is_clock_change(shift)):
                inodes[facts.st_ino == inode] += 1
                shifts[shift] += 1
    shift, count = shifts.most_common(1)[0] if shifts else (0, 0)
    is_shifted = count >= _LEAST_ANEW and count >= 9 * (shifts.total() - count)
    is_anew = inodes[False] >= _LEAST_ANEW and inodes[False] >= 9 * inodes[True]
    keeps = keeps_inodes(top.path, os.stat(top.path).st_dev)
    return _Changed(keeps and not is_anew, shift if is_shifted else 0)


class _EarlyReading:
    """Has large files read while the walk goes on, as often as looking for them costs little beside the walk."""

    def __init__(self, pool: Pool) -> None:
        self._pool = pool
        self._next = time.monotonic() + 1.0

    def read(self, stock: Stock, scan: int, *, is_news: bool) -> None:
        """Look for large files that can have a copy and have them read, if anything is new, and if it is time."""
        began = time.monotonic()
        if not is_news or began < self._next:
            return
        self._pool.start(read_ends, stock.contents.to_read_ends(_LARGE_FILE, scan))
        self._pool.start(read_whole, stock.contents.to_read_whole(_LARGE_FILE, scan))
        now = time.monotonic()
        self._next = now + max(1.0, 20 * (now - began))


def _take(
    stock: Stock, listing: Listing, place: int, volume: int, scan: int, looking: Looking, salt: bytes, changed: _Changed
) -> bool:
    """Write what differs between a folder's listing and the stock; tell whether anything may."""
    files = stock.files
    seen = listing.fingerprint(salt)
    if seen is not None and files.same_as_seen(listing.path, place, volume, scan, seen):
        return False
    folder = files.enter_folder(listing.path, place, volume, scan, seen)
    known = files.in_folder(folder)
    found = {sighting.name: sighting for sighting in listing.sightings(looking)}
    # What was fresh when it was last seen may have changed since without its time telling.
    news = (s for s in found.values() if known.get(s.name) != s or s.fresh)
    files.put(folder, place, volume, news, by_inode=changed.by_inode, shift_ns=changed.shift_ns)
    if listing.complete:
        unlisted = {problem.path.rpartition(b"/")[2] for problem in listing.problems}
        files.miss(folder, known.keys() - found.keys() - unlisted, scan)
    return True
