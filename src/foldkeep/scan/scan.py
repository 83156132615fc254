"""Scanning: what lies in the places, and the digest of everything that can have a copy."""

import os
import time
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Executor, Future, wait
from dataclasses import dataclass, field
from itertools import chain, islice

from foldkeep.model import (
    FOLD_NAME,
    Place,
    Problem,
    Progress,
    Role,
    Step,
    UnusableInput,
    no_progress,
    reason_of,
    visible,
)
from foldkeep.stock import Backlog, Reading, Stock

from .reading import Outcome, read_ends, read_whole
from .walk import Listing, walk

# Results are written to the stock this often, so that an interrupted scan loses little.
_COMMIT_SECONDS = 1.0
_JOBS_IN_FLIGHT = 32
_JOB_FILES = 64
_JOB_BYTES = 4 * 1024 * 1024


@dataclass
class ScanReport:
    """What a scan saw and did.

    Attributes
    ----------
    files, bytes
        Names seen in the places and the sum of their sizes.
    hashed_files
        Files whose whole content was read.
    read_bytes
        Bytes of content read, ends included.
    """

    files: int = 0
    bytes: int = 0
    hashed_files: int = 0
    read_bytes: int = 0
    seconds: float = 0.0
    problems: list[Problem] = field(default_factory=list)


def add_place(stock: Stock, path: bytes, role: Role | None = None) -> Place:
    """Tell the stock about a place; a known one keeps its role unless another is given.

    Symbolic links on the way to it are resolved here, once, so that one folder is one place.

    Raises
    ------
    UnusableInput
        If it is not a folder that can be listed, or lies in a fold.
    """
    resolved = os.path.realpath(path)
    try:
        os.close(os.open(resolved, os.O_RDONLY | os.O_DIRECTORY))
        device = os.stat(resolved).st_dev
    except OSError as error:
        raise UnusableInput(
            f"cannot scan {visible(path)}: {reason_of(error)}", "name a folder that is there and readable"
        ) from error
    if FOLD_NAME in resolved.split(b"/"):
        raise UnusableInput(f"cannot scan {visible(path)}: it lies in a fold", "name the place above it")
    known = next((place for place in stock.places.all() if place.path == resolved), None)
    with stock.transaction():
        return stock.places.add(
            resolved,
            role or (known.role if known else Role.WORKING),
            visible(os.path.basename(resolved)) or "/",
            stock.places.volume(f"device:{device}"),
        )


def scan(
    stock: Stock, places: Sequence[Place], executor: Executor, progress: Progress = no_progress
) -> ScanReport:
    """Bring the stock up to date with what lies in `places`, and hash what can have a copy.

    A file can have a copy if another one in the stock has its size; it is read whole if another has its
    size and its first and last block. What was read before and has not changed (size, modification time
    and inode) is not read again.

    Parameters
    ----------
    stock
        A stock that is held.
    executor
        Runs the reading; a pool of threads serves well, since reading and hashing leave the GIL free.

    Returns
    -------
    ScanReport
        With a problem for every file or folder that could not be read; none of them ends the scan.
    """
    started = time.monotonic()
    report = ScanReport()
    number = stock.files.new_scan(time.time_ns())
    for place in _outermost(places):
        _look(stock, place, number, report, progress)
    _read(stock, executor, read_ends, stock.files.to_read_ends(), report, progress)
    _read(stock, executor, read_whole, stock.files.to_read_whole(), report, progress)
    report.seconds = time.monotonic() - started
    return report


def _outermost(places: Iterable[Place]) -> list[Place]:
    """Return the places that do not lie in another one of them: walking those walks all."""
    found: list[Place] = []
    for place in sorted(places, key=lambda p: p.path):
        if not any(place.path.startswith(outer.path.rstrip(b"/") + b"/") for outer in found):
            found.append(place)
    return found


def _look(stock: Stock, top: Place, scan: int, report: ScanReport, progress: Progress) -> None:
    """Walk one place and write what changed into the stock."""
    places = {place.path: place for place in stock.places.all()}
    owners: dict[bytes, Place] = {}
    incomplete: list[bytes] = []
    if not os.path.isdir(top.path):
        report.problems.append(Problem(top.path, "this place is not there now; what is known of it stays"))
        return
    with stock.transaction() as renew:
        clock = _Clock()
        for listing in walk(top.path):
            # A place within a place owns its own folders.
            owner = places.get(listing.path) or owners.pop(listing.path, top)
            owners.update(dict.fromkeys(listing.folders, owner))
            _take(stock, listing, owner, scan)
            report.files += len(listing.files)
            report.bytes += sum(sighting.size for sighting in listing.files)
            report.problems += listing.problems
            if not listing.complete:
                incomplete.append(listing.path)
            if clock.rings():
                renew()
                progress(Step("Looking into folders", report.files, None, "files"))
        stock.files.drop_folders_below(top.path, scan, incomplete)


def _take(stock: Stock, listing: Listing, owner: Place, scan: int) -> None:
    """Write what differs between a folder's listing and the stock."""
    if not listing.complete and not listing.files:
        return
    folder = stock.files.enter_folder(listing.path, owner, owner.volume, scan)
    known = stock.files.in_folder(folder)
    stock.files.put(folder, (seen for seen in listing.files if known.get(seen.name) != seen))
    if listing.complete:
        unlisted = {problem.path.rpartition(b"/")[2] for problem in listing.problems}
        stock.files.drop(folder, known.keys() - {seen.name for seen in listing.files} - unlisted)


def _read(
    stock: Stock,
    executor: Executor,
    work: Callable[[Reading], Outcome],
    backlog: Backlog,
    report: ScanReport,
    progress: Progress,
) -> None:
    """Have the files of a backlog read, a bounded number of jobs at a time, and write down what came of it."""
    phase = "Reading contents" if work is read_whole else "Comparing first and last blocks"
    jobs = _jobs(backlog.readings)
    running: set[Future[list[Outcome]]] = set()
    done = 0
    clock = _Clock()
    try:
        with stock.transaction() as renew:
            while True:
                for job in islice(jobs, _JOBS_IN_FLIGHT - len(running)):
                    running.add(executor.submit(_run_job, work, job))
                if not running:
                    break
                finished, running = wait(running, timeout=_COMMIT_SECONDS, return_when=FIRST_COMPLETED)
                for outcome in chain.from_iterable(future.result() for future in finished):
                    _record(stock, outcome, report)
                    done += outcome.reading.size if work is read_whole else 1
                if clock.rings():
                    renew()
                    if work is read_whole:
                        progress(Step(phase, done, backlog.bytes, "bytes"))
                    else:
                        progress(Step(phase, done, backlog.files, "files"))
    finally:
        for future in running:
            future.cancel()


def _jobs(readings: Iterable[Reading]) -> Iterator[list[Reading]]:
    """Put small files together, so that handing a job over costs little beside doing it."""
    job: list[Reading] = []
    size = 0
    for reading in readings:
        job.append(reading)
        size += reading.size
        if size >= _JOB_BYTES or len(job) >= _JOB_FILES:
            yield job
            job, size = [], 0
    if job:
        yield job


def _run_job(work: Callable[[Reading], Outcome], job: list[Reading]) -> list[Outcome]:
    return [work(reading) for reading in job]


def _record(stock: Stock, outcome: Outcome, report: ScanReport) -> None:
    report.read_bytes += outcome.read_bytes
    if outcome.problem is not None:
        report.problems.append(Problem(outcome.reading.path, outcome.problem))
    elif outcome.digest is not None:
        report.hashed_files += 1
        stock.files.set_digest(outcome.reading.ids, outcome.digest)
    elif outcome.ends is not None:
        stock.files.set_ends(outcome.reading.ids, outcome.ends)


class _Clock:
    """Rings when a commit is due."""

    def __init__(self) -> None:
        self._last = time.monotonic()

    def rings(self) -> bool:
        now = time.monotonic()
        if now - self._last < _COMMIT_SECONDS:
            return False
        self._last = now
        return True
