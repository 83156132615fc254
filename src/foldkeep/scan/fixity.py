"""Reading again what was read before, to see whether it is still what it was."""

import errno
import os
import sys
import time
from collections.abc import Callable, Collection, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, nullcontext, suppress
from dataclasses import dataclass, field
from typing import NamedTuple

from foldkeep.model import PathBytes, Problem, Progress, Step, no_progress
from foldkeep.model.work import reason_of
from foldkeep.stock import Check, Checked, CheckResult, Due, Stock
from foldkeep.storage.local.drives import keeps_change_times
from foldkeep.storage.local.reading import (
    Stamp,
    clamped_ns,
    digest_of,
    facts_at,
    forget_pages,
    is_regular,
    modified_ns,
    opened,
)

from .reading import telling_change_ns
from .workers import Call, Job, Sight, Workers, in_turn, sight_in

_AHEAD = 4  # files that are read at once, or wait to be judged
_BLOCK = 4096
_HERE_FILES, _HERE_BYTES = 64, 4 * 1024 * 1024  # that are read together
_BATCH_FILES, _BATCH_BYTES = 256, 64 * 1024 * 1024  # by another machine
_COMMIT_SECONDS = 0.5
_OF_THE_MEDIUM = (errno.EIO, errno.EUCLEAN, errno.EBADMSG) if sys.platform == "linux" else (errno.EIO,)
"""What systems say where a drive gives a part of a file no more, or gives something that it knows to be wrong."""

_CHANGED = "changed since the last scan; scan it"
_GONE = "its drive answers no more; connect it and go on with foldkeep fixity"


class Reread(NamedTuple):
    """What reading a file again has shown.

    Attributes
    ----------
    check
        What is written down of it.
    is_first
        Whether it was never read whole before, so that there was nothing to compare with.
    """

    due: Due
    check: Check
    is_first: bool = False


@dataclass
class FixityReport:
    """Report of reading again.

    Attributes
    ----------
    files, bytes
        What was read, and is as it was or was read for the first time.
    first
        How many of those were read for the first time.
    damaged, changed, edited
        What is not as it was, by what can be told of it; what cannot be read for a fault of its medium is damaged.
    stale
        Files that are not what the last scan saw.
    left, left_bytes
        What was not read this time, since time was up or enough was read.
    """

    files: int = 0
    bytes: int = 0
    first: int = 0
    damaged: list[Reread] = field(default_factory=list)
    changed: list[Reread] = field(default_factory=list)
    edited: list[Reread] = field(default_factory=list)
    stale: list[Problem] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)
    left: int = 0
    left_bytes: int = 0


class _Read(NamedTuple):
    """A file as it was read: its digest and when it was changed last; or why it was not."""

    due: Due
    digest: bytes = b""
    changed_ns: int = 0
    telling_ns: int | None = None
    problem: str = ""
    is_stale: bool = False
    is_fault: bool = False


IsEdit = Callable[[Due, PathBytes], bool]
"""Tells whether a file that has another content now has the essence that it had."""


def read_again(
    stock: Stock,
    places: Collection[int],
    is_edit: IsEdit,
    progress: Progress = no_progress,
    *,
    seconds: float | None = None,
    portion: float = 1.0,
    workers: Workers | None = None,
) -> FixityReport:
    """Read the files of places again, those not checked for the longest first, and write down what was found.

    What is read comes from the drive, not from memory. A content that changed though no time of its file did, on a
    file system whose time of last change no program can set, is damage: so it stays until the content is another.

    Parameters
    ----------
    stock
        A stock that is held.
    seconds
        How long to go on; until all is read when None. The file that is being read then is read to its end.
    portion
        How much of all bytes to read, from 0 to 1.
    workers
        Other machines that read too. What is not right there is read again here before it is judged.
    """
    report = FixityReport()
    known = stock.checks.of(Checked.FILE, [CheckResult.DAMAGED])
    judge = _Judge(stock, report, known, is_edit)
    wanted = _Wanted(stock, places, judge, portion, None if seconds is None else time.monotonic() + seconds)
    jobs = wanted.batches(*((_BATCH_FILES, _BATCH_BYTES) if workers else (_HERE_FILES, _HERE_BYTES)))
    with (
        nullcontext(workers) if workers else ThreadPoolExecutor(2) as executor,
        idly(),
        stock.transaction(flush=False) as renew,
    ):
        committed = time.monotonic()
        done = 0
        try:
            for batch in in_turn(executor, jobs, _AHEAD):
                for read in batch:
                    judge.take(read)
                    done += read.due.size
                judge.write_down()
                progress(Step("Reading again", done, int(wanted.total * portion), "bytes"))
                if time.monotonic() - committed > _COMMIT_SECONDS:
                    renew()
                    committed = time.monotonic()
        except BaseException:
            judge.write_down()
            renew()
            raise
        report.left, report.left_bytes = wanted.left
    return report


class _Wanted:
    """What is to be read, until time is up or enough is read.

    Attributes
    ----------
    total
        Bytes that could be read, as soon as the first batch was asked for.
    """

    def __init__(
        self, stock: Stock, places: Collection[int], judge: "_Judge", portion: float, until: float | None
    ) -> None:
        self._stock, self._judge, self._portion, self._until = stock, judge, portion, until
        self._due = stock.checks.due(places)
        self._count = self.total = self._taken = self._taken_bytes = 0

    @property
    def left(self) -> tuple[int, int]:
        """How many files were not asked for, and their bytes."""
        return self._count - self._taken, self.total - self._taken_bytes

    def batches(self, most: int, most_bytes: int) -> "Iterator[_Rereading]":
        """Yield batches of so many files, or as many as have so many bytes."""
        batch: list[Due] = []
        size = 0
        for each in self._files():
            batch.append(each)
            size += each.size
            if len(batch) >= most or size >= most_bytes:
                yield _Rereading(batch)
                batch, size = [], 0
        if batch:
            yield _Rereading(batch)

    def _files(self) -> Iterator[Due]:
        started = 0
        for each in self._due:
            if not self.total:
                self._count, self.total = self._stock.checks.due_sum()
            if started >= self.total * self._portion or (self._until is not None and time.monotonic() >= self._until):
                return
            self._taken, self._taken_bytes = self._taken + 1, self._taken_bytes + each.size
            if each.place not in self._judge.gone:
                started += each.size
                yield each


class _Rereading(Job[list[_Read]]):
    """Files to be read again, on whatever machine; of others only that a file is right is believed."""

    def __init__(self, wanted: Sequence[Due]) -> None:
        self._wanted = wanted
        self._seen: list[os.stat_result | None] = []
        self.allow_for(sum(due.size for due in wanted))

    def away(self) -> Call:
        """Return the reading of them, with what this machine sees of each."""
        self._seen = [_seen(due) for due in self._wanted]
        sights = [sight_in(facts) if facts else None for facts in self._seen]
        asked = [(due.path, sight) for due, sight in zip(self._wanted, sights, strict=True)]
        return Call(read_again_away, (asked,))

    def here(self, found: list[bytes | None] | None = None) -> list[_Read]:
        """Read all, or what was not as it should be elsewhere."""
        if found is None:
            return [_read(due) for due in self._wanted]
        return [self._judged(*each) for each in zip(self._wanted, self._seen, found, strict=True)]

    def is_blind(self, found: list[bytes | None]) -> bool:
        """Tell whether none of the files could be read."""
        return not any(found)

    def _judged(self, due: Due, before: os.stat_result | None, digest: bytes | None) -> _Read:
        facts = _seen(due)
        if before is None or facts is None or digest is None or due.digest not in (None, digest):
            return _read(due)
        if Stamp.of(facts) != Stamp.of(before):  # it was changed while the other one read it, or after that
            return _read(due)
        return _Read(due, digest, clamped_ns(facts.st_ctime_ns), telling_change_ns(facts))


def _seen(due: Due) -> os.stat_result | None:
    """Return what this machine sees of a file; None if that is not what the stock knows."""
    try:
        facts = facts_at(due.path)
    except OSError:
        return None
    return facts if (facts.st_size, modified_ns(facts)) == (due.size, due.modified_ns) else None


def read_again_away(wanted: Sequence[tuple[PathBytes, Sight | None]]) -> list[bytes | None]:
    """Read files for another machine, from their drive; return their digests, None for what is not the same here."""
    with idly():
        return [_digest_away(path, sight) if sight else None for path, sight in wanted]


def _digest_away(path: PathBytes, sight: Sight) -> bytes | None:
    try:
        with opened(path) as descriptor:
            facts = os.fstat(descriptor)
            if not is_regular(facts) or sight_in(facts) != sight:
                return None
            forget_pages(descriptor)
            digest, read = digest_of(descriptor, sight.size)
            return digest if read == sight.size and Stamp.of(os.fstat(descriptor)) == Stamp.of(facts) else None
    except OSError:
        return None


class _Judge:
    """Tells what was read, and writes it down.

    Attributes
    ----------
    gone
        Numbers of places whose drive answers no more.
    """

    def __init__(self, stock: Stock, report: FixityReport, known: dict[bytes, Check], is_edit: IsEdit) -> None:
        self._stock = stock
        self._report = report
        self._known = known
        self._is_edit = is_edit
        self._well_read: dict[int, PathBytes] = {}
        self._beside: dict[int, list[PathBytes]] = {}
        self._dependable: dict[bytes, bool] = {}
        self._checks: list[Check] = []
        self._contents: list[tuple[tuple[int, ...], bytes, int | None]] = []
        self.gone: set[int] = set()

    def write_down(self) -> None:
        """Write down what was taken in: for many files at once, since each by itself takes longer than reading it."""
        self._stock.checks.put(self._checks)
        self._stock.checks.set_contents(self._contents)
        self._checks, self._contents = [], []

    def take(self, read: _Read) -> None:
        """Take in what was read of a file."""
        due, report = read.due, self._report
        if read.is_stale:
            report.stale.append(Problem(due.path, _CHANGED))
        elif read.is_fault:
            self._take_fault(read)
        elif read.problem:
            report.problems.append(Problem(due.path, read.problem))
        else:
            self._well_read[due.place] = due.path
            self._take_content(read)

    def _take_content(self, read: _Read) -> None:
        due, report = read.due, self._report
        before = self._known.get(due.path)
        if before and before.found == read.digest:
            self._note(read, CheckResult.DAMAGED, before.expected)  # it is what it was found to be
            return
        if due.digest in (None, read.digest):
            report.files += 1
            report.bytes += due.size
            report.first += due.digest is None
            if (due.digest, due.changed_ns) != (read.digest, read.telling_ns):
                self._contents.append((due.ids, read.digest, read.telling_ns))
            now_ns = time.time_ns()
            self._checks.append(Check(Checked.FILE, due.path, now_ns, CheckResult.RIGHT, now_ns, read.digest))
            return
        is_untouched = due.changed_ns is not None and read.changed_ns == due.changed_ns and self._tells(due.path)
        expected = before.expected if before and before.found == due.digest else due.digest
        if is_untouched:
            self._note(read, CheckResult.DAMAGED, expected)
        elif self._is_edit(due, due.path):
            self._note(read, CheckResult.EDITED, expected)
        else:
            self._note(read, CheckResult.CHANGED, expected)

    def _note(self, read: _Read, result: CheckResult, expected: bytes) -> None:
        due, report = read.due, self._report
        self._contents.append((due.ids, read.digest, read.telling_ns))
        lists = {CheckResult.DAMAGED: report.damaged, CheckResult.EDITED: report.edited}
        self._tell(due, result, expected, read.digest, lists.get(result, report.changed))

    def _tell(self, due: Due, result: CheckResult, expected: bytes, found: bytes, into: list[Reread]) -> None:
        """Write down and tell of every name of a file what was found: each of them has it."""
        for path in self._stock.checks.paths_of(due.ids) or [due.path]:
            check = Check(Checked.FILE, path, time.time_ns(), result, None, expected, found)
            self._checks.append(check)
            into.append(Reread(due._replace(path=path), check))

    def _take_fault(self, read: _Read) -> None:
        """Take in that a medium does not give a file: it is damaged, unless all of the drive has gone."""
        due = read.due
        if due.place not in self.gone and not self._answers(due):
            self.gone.add(due.place)
            self._report.problems.append(Problem(due.path, _GONE))
        if due.place in self.gone:
            return
        self._tell(due, CheckResult.UNREADABLE, due.digest or b"", b"", self._report.damaged)

    def _answers(self, due: Due) -> bool:
        """Tell whether another file on the drive of one can be read now, from the drive itself."""
        if due.place in self._well_read and _begins_well(self._well_read[due.place]):
            return True
        if due.place not in self._beside:
            self._beside[due.place] = self._stock.checks.others_beside(due.ids[0], due.place, 8)
        return any(_begins_well(path) for path in self._beside[due.place] if path != due.path)

    def _tells(self, path: PathBytes) -> bool:
        folder = os.path.dirname(path)
        if folder not in self._dependable:
            with suppress(OSError):
                self._dependable[folder] = keeps_change_times(folder, os.stat(folder).st_dev)
        return self._dependable.get(folder, False)


def _read(due: Due) -> _Read:
    """Read a file whole, from the drive."""
    try:
        with opened(due.path) as descriptor:
            facts = os.fstat(descriptor)
            if not is_regular(facts) or (facts.st_size, modified_ns(facts)) != (due.size, due.modified_ns):
                return _Read(due, is_stale=True)
            forget_pages(descriptor)
            digest, size = digest_of(descriptor, due.size)
            now = os.fstat(descriptor)
    except OSError as error:
        return _Read(due, problem=reason_of(error), is_fault=error.errno in _OF_THE_MEDIUM)
    if size != due.size or Stamp.of(now) != Stamp.of(facts):
        return _Read(due, is_stale=True)
    return _Read(due, digest, clamped_ns(facts.st_ctime_ns), telling_change_ns(facts))


def _begins_well(path: PathBytes) -> bool:
    try:
        with opened(path) as descriptor:
            forget_pages(descriptor)
            return bool(os.read(descriptor, _BLOCK))
    except OSError:
        return False


@contextmanager
def idly() -> Iterator[None]:
    """Give way to whatever else wants the disks while the block lasts, where the system knows such priorities."""
    import psutil

    process, former = psutil.Process(), None
    try:
        with suppress(AttributeError, OSError, psutil.Error):
            former = process.ionice()
            process.ionice(psutil.IOPRIO_CLASS_IDLE)
        yield
    finally:
        with suppress(AttributeError, OSError, psutil.Error, ValueError):
            if former is not None:
                process.ionice(former.ioclass, former.value)
