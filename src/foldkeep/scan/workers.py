"""Work on files that other machines may do as well as this one.

What they say is believed where it is good news; what they could not do, or found wrong, is done again here: another
machine may not see a file, may lack the right to read it, or may see another one by its path.
"""

import os
from abc import ABC, abstractmethod
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Executor, Future
from typing import Any, Generic, NamedTuple, TypeVar

from foldkeep.model import PathBytes
from foldkeep.storage.local.reading import facts_at, modified_ns

_Found = TypeVar("_Found")
_LEAST_BYTES_A_SECOND = 5_000_000  # what is read slower than that elsewhere is read here too


class Sight(NamedTuple):
    """A file as a machine sees it: number, size and time. Machines that see another by its path do not see this."""

    inode: int
    size: int
    modified_ns: int


def sight_in(facts: os.stat_result) -> Sight:
    """Return what the system says of a file as what this machine sees of it."""
    return Sight(facts.st_ino, facts.st_size, modified_ns(facts))


def sight_of(path: PathBytes) -> Sight | None:
    """Return what this machine sees of a file; None if it sees none."""
    try:
        return sight_in(facts_at(path))
    except OSError:
        return None


class Call(NamedTuple):
    """What another machine is told to do: a function of a module, and what it is given, all of which can be pickled.

    Attributes
    ----------
    shared
        What comes before `given`, as `Workers.share` returned it.
    """

    function: Callable[..., Any]
    given: tuple[Any, ...]
    shared: tuple[Any, ...] = ()


class Job(ABC, Generic[_Found]):
    """Work on some files.

    Attributes
    ----------
    seconds
        How long it may take elsewhere; then it is done here too, and what is done first counts.
    is_bound
        Whether only this machine can do it.
    """

    seconds: float = 60.0
    is_bound: bool = False

    def allow_for(self, size: int) -> None:
        """Let it take as long more as so many bytes take to be read."""
        self.seconds += size / _LEAST_BYTES_A_SECOND

    @abstractmethod
    def away(self) -> Call:
        """Return what another machine is to do; that changes nothing there."""

    @abstractmethod
    def here(self, found: Any = None) -> _Found:
        """Complete what another machine found, or do all of it if that is None."""

    def is_blind(self, found: Any) -> bool:  # noqa: ARG002 - what is measured of memory is seen by all
        """Tell whether another machine seems to see nothing of what it was asked of."""
        return False


class Workers(Executor):
    """An executor of this machine that can have jobs done by others.

    Attributes
    ----------
    room
        How many jobs they can have at a time.
    """

    room: int

    @abstractmethod
    def spread(self, job: Job[_Found]) -> "Future[_Found]":
        """Have a job done by whoever has time; it never fails for a fault of theirs."""

    @abstractmethod
    def share(self, value: Any) -> Any:
        """Bring a large value to all once; return what stands for it in a `Call`."""


def hand_out(executor: Executor, job: Job[_Found]) -> "Future[_Found]":
    """Have a job done, elsewhere too if the executor can have that done."""
    return executor.spread(job) if isinstance(executor, Workers) else executor.submit(job.here)


def in_turn(executor: Executor, jobs: Iterable[Job[_Found]], ahead: int) -> Iterator[_Found]:
    """Have jobs done, so many at a time, or as many as workers have room for; yield what comes of them in their order.

    Jobs are asked for as there is room for them.
    """
    running: deque[Future[_Found]] = deque()
    try:
        for job in jobs:
            running.append(hand_out(executor, job))
            while len(running) >= (executor.room if isinstance(executor, Workers) else ahead):
                yield running.popleft().result()
        while running:
            yield running.popleft().result()
    finally:
        for future in running:
            future.cancel()
