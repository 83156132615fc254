"""How long work tells how far it is, and what it could not do."""

import gc
import os
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from itertools import islice
from typing import NamedTuple, Protocol, TypeVar


class Problem(NamedTuple):
    """One file or folder that could not be worked on, and why."""

    path: bytes
    reason: str


class Step(NamedTuple):
    """Progress of a piece of long work.

    Attributes
    ----------
    phase
        What is being done, as words for a person ("Reading contents").
    done, total
        Units done and units in all; total is None while it is not known.
    unit
        ``"bytes"``, or what is counted: ``"files"``, ``"sets"``, ``"folders"``.
    """

    phase: str
    done: int
    total: int | None
    unit: str


_Item = TypeVar("_Item")
_TOLD_EVERY = 64


class Progress(Protocol):
    """Called by the core during long work; it must return quickly and may drop what it is told."""

    def __call__(self, step: Step) -> None: ...


def no_progress(step: Step) -> None:
    """Take a step and tell nobody."""


def told(items: Iterable[_Item], phase: str, total: int | None, unit: str, progress: Progress) -> Iterator[_Item]:
    """Yield items, and tell how many of them were taken."""
    done = 0
    for item in items:
        if done % _TOLD_EVERY == 0:
            progress(Step(phase, done, total, unit))
        yield item
        done += 1
    progress(Step(phase, done if total is None else total, total, unit))


def reason_of(error: Exception) -> str:
    """Return why the system refused, as a few lower-case words; of what is no error of the system its own words."""
    if lacks_processes(error):
        return "the system lets this user start no more processes and threads"
    if not isinstance(error, OSError):
        return str(error)
    words = error.strerror or type(error).__name__
    return words.lower() if error.errno is None or words == os.strerror(error.errno) else words


FOR_MORE_PROCESSES = "end other programs or raise the limit (ulimit -u)"


def lacks_processes(error: BaseException) -> bool:
    """Tell whether a thread or a process could not be started, since there are as many as may be.

    Python has no error of its own for either: a thread is told by its words, a process by the line that started it,
    since reading a file may end in `EAGAIN`, too.
    """
    if isinstance(error, RuntimeError):
        return str(error).startswith("can't start new thread")
    at = error.__traceback__ if isinstance(error, BlockingIOError) else None
    while at is not None and at.tb_next is not None:
        at = at.tb_next
    return at is not None and os.path.basename(at.tb_frame.f_code.co_filename) == "subprocess.py"


def in_blocks(items: Iterable[_Item], size: int) -> Iterator[list[_Item]]:
    """Yield items in lists of a size; the last may be shorter."""
    rest = iter(items)
    while block := list(islice(rest, size)):
        yield block


@contextmanager
def many_rows() -> Iterator[None]:
    """Look for rings of objects rarely in the block: rows are in none, and looking took a fifth of the time."""
    before = gc.get_threshold()
    gc.set_threshold(200_000, 20, 100)
    try:
        yield
    finally:
        gc.set_threshold(*before)
