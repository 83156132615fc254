"""Words for a run that stopped while files were changed: the stock, a disk, or a person stopped it."""

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from typing import NamedTuple

from foldkeep.model import Run, RunFileState, RunSummary
from foldkeep.model.errors import InterruptedMidway, StoppedMidway
from foldkeep.model.work import FOR_MORE_PROCESSES, lacks_processes, reason_of
from foldkeep.stock import Stock


class _Work(NamedTuple):
    """A command that changes files: states of done files and of the rest (None: all others), in words, and its undo."""

    done: tuple[RunFileState, ...]
    rest: tuple[RunFileState, ...] | None
    words: str
    undo: str = ""


_WAITS = (RunFileState.WAITING, RunFileState.MOVED)
_WENT = (*_WAITS, RunFileState.BINNED, RunFileState.RELEASED, RunFileState.MADE)
_WORKS = {
    "fold": _Work(_WENT, None, "files went", "takes back what was done"),
    "unfold": _Work((RunFileState.RESTORED,), _WAITS, "files are back"),
    "release": _Work(
        (RunFileState.RELEASED, RunFileState.REST), _WAITS, "files are deleted for good", "brings the others back"
    ),
    "release --rests": _Work((RunFileState.RELEASED,), (RunFileState.REST,), "files have no rest any more"),
}


@contextmanager
def midway(stock: Stock, run: Run, work: str) -> Iterator[None]:
    """Tell of a failure or an interruption while files are changed by the run's number, and what to do now.

    Parameters
    ----------
    work
        The command that goes on, without the program's name.

    Raises
    ------
    StoppedMidway
        Where the block raised an error of the stock's file or of the system.
    InterruptedMidway
        Where somebody interrupted the block, which has brought the ledger in line with the disk by then.
    """
    command = work.partition(" ")[0] + " --rests" * work.endswith(" --rests")
    undo = _WORKS[command].undo if run.method.comes_back else ""
    goes_on = f"`foldkeep {work}` goes on" + (f", and `foldkeep unfold {run.id}` {undo}" if undo else "")
    try:
        yield
    except (sqlite3.Error, OSError, RuntimeError) as error:
        if isinstance(error, RuntimeError) and not lacks_processes(error):
            raise
        why = f"the stock cannot be written ({error})" if isinstance(error, sqlite3.Error) else reason_of(error)
        remedy = FOR_MORE_PROCESSES if lacks_processes(error) else "make room or mend the disk there"
        raise StoppedMidway(
            f"{why}, so run {run.id} stopped midway; no file is lost",
            f"{remedy}, then {goes_on}",
            run.id,
        ) from error
    except KeyboardInterrupt as error:
        raise InterruptedMidway(
            f"run {run.id} was interrupted: {_so_far(stock, run, _WORKS[command])}", goes_on, run.id
        ) from error


def _so_far(stock: Stock, run: Run, work: _Work) -> str:
    """Return how many files a run has done, and how many not."""
    files = RunSummary.of(run, stock.ledger.files(run.id)).files
    done = sum(files.get(state, 0) for state in work.done)
    rest = sum(files.values()) - done if work.rest is None else sum(files.get(state, 0) for state in work.rest)
    return f"{done:,} of {done + rest:,} {work.words}; no file is lost"
