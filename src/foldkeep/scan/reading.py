"""Reading contents: the ends of a file, or the whole of it, into a BLAKE3 digest."""

import os
import stat
import time
from collections.abc import Iterable, Iterator
from typing import NamedTuple

from blake3 import blake3

from foldkeep.model import PathBytes, UnusableInput
from foldkeep.model.remote import is_remote
from foldkeep.model.signatures import contradiction
from foldkeep.model.work import reason_of
from foldkeep.stock import Reading
from foldkeep.storage.local.drives import keeps_change_times
from foldkeep.storage.local.reading import FILE, clamped_ns, digest_of, facts_at, modified_ns, open_path, opened
from foldkeep.storage.remote import RemoteStorage, remote_storage

from .clones import shared_extent

END_BLOCK = 16 * 1024
"""Bytes read at each end of a file before it is worth reading whole."""

WHOLE_UP_TO = 2 * END_BLOCK
"""A file of at most this size is read whole at once: its ends are all of it."""


_TICK_NS, COARSE_TICK_NS = 50_000_000, 2_000_000_000


class Changed(Exception):
    """The file is not, or no longer, the one that was listed."""


class Outcome(NamedTuple):
    """Result of reading a file: `ends` or `digest`, or the problem in words.

    `ends` is a number of 64 bits; equal ends only decide what is read whole. `content` is the format that the
    first bytes tell where the suffix promises another; `extent` is where clones of a file lie. `changed_ns` is the time
    of the last status change of a file that was read whole, where a later change would show in it. `stated` is the
    digest that a server states of the whole content.
    """

    reading: Reading
    read_bytes: int = 0
    ends: int | None = None
    digest: bytes | None = None
    content: str | None = None
    extent: int | None = None
    problem: str | None = None
    changed_ns: int | None = None
    stated: str = ""


class Meter:
    """Count of bytes that a job has read so far; written by the one thread that runs it, read by another."""

    __slots__ = ("bytes",)

    def __init__(self) -> None:
        self.bytes = 0

    def add(self, size: int) -> None:
        """Note that so many bytes more were read."""
        self.bytes += size


def read_ends(reading: Reading, meter: Meter) -> Outcome:  # noqa: ARG001 - it is over before it could be looked at
    """Read the first and last block of a file; a file no longer than that is read whole."""
    if is_remote(reading.path):
        return _ends_afar(reading)
    small = reading.size <= WHOLE_UP_TO
    try:
        descriptor = open_path(reading.path, FILE)
        try:
            if small:
                data = os.read(descriptor, reading.size + 1)
            else:
                _check_same(descriptor, reading)
                data = _blocks_at_ends(descriptor, reading.size)
            facts = _check_same(descriptor, reading)
            extent = shared_extent(descriptor, facts)
        finally:
            os.close(descriptor)
    except (OSError, Changed) as error:
        return Outcome(reading, problem=_words(error))
    if len(data) != min(reading.size, WHOLE_UP_TO):
        return Outcome(reading, problem=_words(Changed()))
    digest = blake3(data).digest()
    ends = int.from_bytes(digest[:8], "big", signed=True)
    content = contradiction(reading.path, data[:16])
    changed_ns = telling_change_ns(facts) if small else None
    return Outcome(reading, len(data), ends, digest if small else None, content, extent, changed_ns=changed_ns)


def ends_at(path: PathBytes, size: int) -> int:
    """Return the ends of a file of a size, as `read_ends` does; OSError if it cannot be read."""
    with opened(path) as descriptor:
        if size <= WHOLE_UP_TO:
            return _ends_of(os.pread(descriptor, size, 0))
        return _ends_of(_blocks_at_ends(descriptor, size))


def _blocks_at_ends(descriptor: int, size: int) -> bytes:
    return os.pread(descriptor, END_BLOCK, 0) + os.pread(descriptor, END_BLOCK, size - END_BLOCK)


def _ends_of(data: bytes) -> int:
    return int.from_bytes(blake3(data).digest()[:8], "big", signed=True)


def read_whole(reading: Reading, meter: Meter) -> Outcome:
    """Read a whole file."""
    if is_remote(reading.path):
        return _whole_afar(reading, meter)
    try:
        descriptor = open_path(reading.path, FILE)
        try:
            _check_same(descriptor, reading)
            digest, count = digest_of(descriptor, reading.size, meter.add)
            facts = _check_same(descriptor, reading)
        finally:
            os.close(descriptor)
    except (OSError, Changed) as error:
        return Outcome(reading, problem=_words(error))
    return Outcome(reading, count, digest=digest, changed_ns=telling_change_ns(facts))


def _ends_afar(reading: Reading) -> Outcome:
    """Read the ends of a file on a server by ranges, and take what the server states of the whole along."""
    size = reading.size
    try:
        storage = remote_storage(reading.path)
        first = storage.part(reading.path, 0, min(size, END_BLOCK), reading.etag)
        data, count = first.data, len(first.data)
        if size <= WHOLE_UP_TO:
            wanted = size - count
            if wanted:
                data += storage.part(reading.path, count, wanted, reading.etag).data
        else:
            data += storage.part(reading.path, size - END_BLOCK, END_BLOCK, reading.etag).data
        _check_same_afar(reading, storage)
    except (OSError, UnusableInput, Changed) as error:
        return Outcome(reading, problem=_words(error))
    if len(data) != min(size, WHOLE_UP_TO):
        return Outcome(reading, problem=_words(Changed()))
    digest = blake3(data).digest()
    ends = int.from_bytes(digest[:8], "big", signed=True)
    content = contradiction(reading.path, data[:16])
    whole = digest if size <= WHOLE_UP_TO else None
    return Outcome(reading, len(data), ends, whole, content, stated=first.stated)


def _whole_afar(reading: Reading, meter: Meter) -> Outcome:
    hasher, count = blake3(), 0
    try:
        storage = remote_storage(reading.path)
        for part in storage.parts(reading.path, reading.etag):
            count += len(part)
            if count > reading.size:
                raise Changed
            hasher.update(part)
            meter.add(len(part))
        _check_same_afar(reading, storage)
    except (OSError, UnusableInput, Changed) as error:
        return Outcome(reading, problem=_words(error))
    if count != reading.size:
        return Outcome(reading, count, problem=_words(Changed()))
    return Outcome(reading, count, digest=hasher.digest())


def _check_same_afar(reading: Reading, storage: RemoteStorage) -> None:
    """Raise Changed if a file without an entity tag has another size or time than when it was listed."""
    if reading.etag:
        return  # each part was asked for on condition of that
    facts = storage.facts(reading.path)
    if facts is None or (facts.size, facts.modified_ns) != (reading.size, reading.modified_ns):
        raise Changed


def _check_same(descriptor: int, reading: Reading) -> os.stat_result:
    facts = os.fstat(descriptor)
    now = (facts.st_ino, facts.st_size, modified_ns(facts))
    if not stat.S_ISREG(facts.st_mode) or now != (reading.inode, reading.size, reading.modified_ns):
        raise Changed
    return facts


def perhaps_rewritten(read_before: Iterable[tuple[int, PathBytes, int | None, str]]) -> Iterator[int]:
    """Yield the numbers of files, as `Contents.read_before` gives them, that may have another content than was read.

    Size and time of modification do not tell: programs put them back. What went away is not told.
    """
    tells: dict[int, bool] = {}
    for number, path, changed_ns, etag in read_before:
        if is_remote(path):
            if not etag:
                yield number
            continue
        try:
            facts = facts_at(path)
            if facts.st_dev not in tells:
                tells[facts.st_dev] = keeps_change_times(os.path.dirname(path), facts.st_dev)
        except OSError:
            continue
        if not (tells[facts.st_dev] and clamped_ns(facts.st_ctime_ns) == changed_ns):
            yield number


def telling_change_ns(facts: os.stat_result) -> int | None:
    """Return the time of the last status change of a file that was just read; None if a change now would not show."""
    when_ns = facts.st_ctime_ns
    return clamped_ns(when_ns) if when_ns < time.time_ns() - tick_of(when_ns) else None


def tick_of(when_ns: int) -> int:
    """Return how long after a time of a file another change may have the same: a tick of the kernel's clock, or, where
    a file system keeps whole seconds, two of them.
    """
    return _TICK_NS if when_ns % 1_000_000_000 else COARSE_TICK_NS


def _words(error: OSError | UnusableInput | Changed) -> str:
    return reason_of(error) if not isinstance(error, Changed) else "changed during the scan; scan again"
