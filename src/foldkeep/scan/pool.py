"""Having files read by an executor: a bounded number of jobs at a time, results written as they come."""

import sys
import time
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Executor, Future, ThreadPoolExecutor, wait
from itertools import chain
from typing import Any, NamedTuple

from foldkeep.model import Problem, Progress, Step
from foldkeep.model.remote import is_remote
from foldkeep.stock import SMALL_FILE, Backlog, Check, Checked, CheckResult, Reading, Stock

from .afar import FarPlaces, Work, name_of, work_of
from .reading import Meter, Outcome, read_whole
from .report import ScanReport
from .small_files import PROCESSES, SmallFiles
from .workers import Call, Job, Workers, hand_out

_COMMIT_SECONDS = 0.25
_WAIT_SECONDS = 0.25

_JOBS_IN_FLIGHT = 16
_JOB_FILES = 1024
_JOB_FILES_AFAR = 4
"""A server is waited for with each file; what is not done when a scan is interrupted is fetched again."""

_JOB_BYTES = 16 * 1024 * 1024
_VERY_MANY = 8192
"""So many files are worth the start of processes that read the small ones."""

_REWRITTEN = "has another content than when it was read last, though its size and time are the same; look at it"


class _Done(NamedTuple):
    """Result of a job: outcomes, and which part of its time it waited for the disk, from 0 to 1."""

    outcomes: list[Outcome]
    small: bool
    waiting: float


class _Lanes:
    """Number of jobs of small files that may run at a time.

    Threads that each make short system calls hand the interpreter's lock to and fro, which takes longer than
    the calls: two of them read small files slower than one, and one is slowed by a database that is written
    meanwhile. That turns round where the disk, not the processor, is waited for. So there is one lane, and
    more are opened while jobs wait for the disk most of their time. Processes share no lock: there are as many
    lanes as of them, and with executors other than threads as many as anybody wants.
    """

    def __init__(self, executor: Executor) -> None:
        self._adapts = self.are_threads = isinstance(executor, ThreadPoolExecutor)
        self._workers = executor if isinstance(executor, Workers) else None
        self.open = 1 if self._adapts else sys.maxsize

    @property
    def room(self) -> int:
        """Number of jobs of any files that may be under way; of workers, more as more of them come."""
        return self._workers.room if self._workers else _JOBS_IN_FLIGHT

    def fix(self, number: int) -> None:
        """Have so many lanes, however it goes."""
        self._adapts, self.open = False, number

    def learn(self, waiting: float) -> None:
        """Take in how a job of small files went."""
        if self._adapts:
            self.open = min(self.open + 1, _JOBS_IN_FLIGHT) if waiting > 0.6 else 1


class Pool:
    """Reads files through an executor and writes what came of it into the stock, within one transaction.

    Parameters
    ----------
    renew
        Makes what was written so far lasting.
    far
        Reads what lies in places that may not answer.
    """

    def __init__(
        self,
        stock: Stock,
        executor: Executor,
        report: ScanReport,
        renew: Callable[[], None],
        progress: Progress,
        far: FarPlaces,
    ) -> None:
        self._stock = stock
        self._executor = executor
        self._report = report
        self._renew = renew
        self._progress = progress
        self._running: dict[Future[_Done], Meter] = {}
        self._small_running = 0
        self._lanes = _Lanes(executor)
        self._far = far
        self._small: SmallFiles | None = None
        self._handed_out: set[int] = set()
        self._failed: set[int] = set()
        self._last_commit = time.monotonic()

    def commit_now_and_then(self) -> bool:
        """Make what was written lasting if that is due; tell whether it was."""
        now = time.monotonic()
        if now - self._last_commit < _COMMIT_SECONDS:
            return False
        self._renew()
        self._last_commit = now
        return True

    def start(self, work: Work, backlog: Backlog) -> None:
        """Hand out as many jobs of a backlog as may run at a time, without waiting; the rest waits for later."""
        for job in _jobs(reading for reading in backlog.readings if reading.ids[0] not in self._handed_out):
            if not self._has_room(job):
                break
            self._hand_out(work, job)
        self._collect(0)

    def has_read(self, number: int) -> bool:
        """Tell whether a large file was handed out to be read in this scan."""
        return number in self._handed_out

    def drain(self) -> None:
        """Wait for all that was started, so that a backlog asked for after this does not hold it again."""
        while self._running:
            self._collect(_WAIT_SECONDS)

    def finish(self, work: Work, backlog: Backlog) -> None:
        """Have a whole backlog read."""
        unit = "bytes" if work is read_whole else "files"
        phase = "Reading contents" if work is read_whole else "Comparing first and last blocks"
        total = backlog.bytes if work is read_whole else backlog.files
        done = 0
        jobs = _jobs(reading for reading in backlog.readings if reading.ids[0] not in self._failed)
        left: list[Reading] | None = None
        if backlog.files >= _VERY_MANY and self._lanes.are_threads and self._small is None:
            self._small = SmallFiles()
            self._lanes.fix(PROCESSES)
        while (left := self._fill(work, jobs, left)) or self._running:
            for outcome in self._collect(_WAIT_SECONDS):
                done += outcome.reading.size if work is read_whole else 1
            # A file of many gigabytes is seen to move on; an executor of processes tells only of whole files.
            under_way = sum(meter.bytes for meter in self._running.values()) if work is read_whole else 0
            self._progress(Step(phase, done + under_way, total, unit))

    def _fill(self, work: Work, jobs: Iterator[list[Reading]], job: list[Reading] | None) -> list[Reading] | None:
        """Hand out jobs while there is room, and return the one that found none."""
        while job or (job := next(jobs, None)):
            if not self._has_room(job):
                return job
            self._hand_out(work, job)
            if _is_small(job) and self._lanes.open == 1:
                return None  # looking for the next job would only slow this one down
            job = None
        return None

    def _has_room(self, job: list[Reading]) -> bool:
        return len(self._running) < self._lanes.room and (not _is_small(job) or self._small_running < self._lanes.open)

    def close(self) -> None:
        """Give up what has not begun; what runs is left to the executor."""
        for future in self._running:
            future.cancel()
        if self._small:
            self._small.close()

    def _hand_out(self, work: Work, job: list[Reading]) -> None:
        self._handed_out.update(reading.ids[0] for reading in job if reading.size > SMALL_FILE)
        self._small_running += _is_small(job)
        meter = Meter()
        far = self._far if any(self._far.top_of(reading.path) for reading in job) else None
        other = far or (self._small if _is_small(job) else None)
        self._running[hand_out(self._executor, _Readings(work, job, meter, other))] = meter

    def _collect(self, seconds: float) -> list[Outcome]:
        """Write down what is finished, waiting at most so long for the first, and return it."""
        finished = wait(self._running, timeout=seconds, return_when=FIRST_COMPLETED).done
        for future in finished:
            del self._running[future]
        jobs = [future.result() for future in finished]
        for job in jobs:
            if job.small:
                self._small_running -= 1
                self._lanes.learn(job.waiting)
        outcomes = list(chain.from_iterable(job.outcomes for job in jobs))
        for outcome in outcomes:
            if outcome.digest and outcome.reading.digest not in (None, outcome.digest):
                self._take_change(outcome.reading, outcome.digest, outcome.changed_ns)
        self._stock.contents.set_stated(
            (outcome.stated, id_) for outcome in outcomes if outcome.stated for id_ in outcome.reading.ids
        )
        self._stock.contents.set_read(
            (outcome.ends, outcome.digest, outcome.content, outcome.extent, outcome.changed_ns, id_)
            for outcome in outcomes
            if outcome.problem is None
            for id_ in outcome.reading.ids
        )
        for outcome in outcomes:
            self._count(outcome)
        if not all(job.small for job in jobs):
            self._renew()
        elif outcomes:  # a commit for each thousand small files took a third as long as reading them
            self.commit_now_and_then()
        return outcomes

    def _take_change(self, reading: Reading, digest: bytes, changed_ns: int | None) -> None:
        """Write down and tell that a file has another content than it was known to have."""
        checks, now_ns = self._stock.checks, time.time_ns()
        checks.set_contents([(reading.ids, digest, changed_ns)])
        for path in checks.paths_of(reading.ids):
            checks.put([Check(Checked.FILE, path, now_ns, CheckResult.CHANGED, None, reading.digest or b"", digest)])
            self._report.problems.append(Problem(path, _REWRITTEN))
        self._report.rewritten += 1

    def _count(self, outcome: Outcome) -> None:
        report = self._report
        report.read_bytes += outcome.read_bytes
        report.fetched_bytes += outcome.read_bytes * is_remote(outcome.reading.path)
        report.hashed_files += outcome.digest is not None
        if outcome.content is not None:
            report.contradictions += 1
        if outcome.problem is not None:
            self._failed.add(outcome.reading.ids[0])
            report.problems.append(Problem(outcome.reading.path, outcome.problem))


def _jobs(readings: Iterable[Reading]) -> Iterator[list[Reading]]:
    """Put small files together, so that handing a job over costs little beside doing it."""
    job: list[Reading] = []
    size = 0
    for reading in readings:
        afar = is_remote(reading.path)
        if job and afar != is_remote(job[0].path):
            yield job
            job, size = [], 0
        job.append(reading)
        size += reading.size
        if size >= _JOB_BYTES or len(job) >= (_JOB_FILES_AFAR if afar else _JOB_FILES):
            yield job
            job, size = [], 0
    if job:
        yield job


def _is_small(job: list[Reading]) -> bool:
    return job[0].size <= SMALL_FILE and not is_remote(job[0].path)  # the largest comes first


class _Readings(Job[_Done]):
    """Files to be read; elsewhere only those of drives that this machine sees too."""

    def __init__(self, work: Work, readings: list[Reading], meter: Meter, other: FarPlaces | SmallFiles | None) -> None:
        self._work, self._readings, self._meter, self._other = work, readings, meter, other
        self.allow_for(sum(reading.size for reading in readings))
        self.is_bound = is_remote(readings[0].path)

    def away(self) -> Call:
        """Return the reading of them all."""
        return Call(read_away, (name_of(self._work), [tuple(each) for each in self._readings]))

    def here(self, found: list[tuple[Any, ...]] | None = None) -> _Done:
        """Read what is to be read, or what could not be read elsewhere."""
        began, began_working = time.perf_counter(), time.thread_time()
        outcomes = self._read(self._readings) if found is None else self._completed(found)
        seconds, working = time.perf_counter() - began, time.thread_time() - began_working
        return _Done(outcomes, _is_small(self._readings), 1 - working / seconds if seconds else 0.0)

    def is_blind(self, found: list[tuple[Any, ...]]) -> bool:
        """Tell whether none of them could be read elsewhere."""
        return all(Outcome(self._readings[0], *each).problem for each in found)

    def _read(self, readings: list[Reading]) -> list[Outcome]:
        if self._other:
            return self._other.read(self._work, readings, self._meter)
        return [self._work(reading, self._meter) for reading in readings]

    def _completed(self, found: list[tuple[Any, ...]]) -> list[Outcome]:
        outcomes = [Outcome(reading, *each) for reading, each in zip(self._readings, found, strict=True)]
        again = iter(self._read([outcome.reading for outcome in outcomes if outcome.problem]))
        return [next(again) if outcome.problem else outcome for outcome in outcomes]


def read_away(name: str, readings: Sequence[tuple[Any, ...]]) -> list[tuple[Any, ...]]:
    """Read files for another machine; return what came of each, without the file."""
    work = work_of(name)
    return [work(Reading(*each), Meter())[1:] for each in readings]
