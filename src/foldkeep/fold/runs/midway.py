"""Words for a run that stopped while files were changed: the stock, a disk, or a person stopped it."""

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager

from foldkeep.model import Run, RunFileState, RunSummary
from foldkeep.model.errors import InterruptedMidway, StoppedMidway
from foldkeep.model.work import reason_of
from foldkeep.stock import Stock

_WAITS = (RunFileState.WAITING, RunFileState.MOVED)
_DONE = {
    "fold": ((*_WAITS, RunFileState.BINNED, RunFileState.RELEASED, RunFileState.MADE), "went"),
    "unfold": ((RunFileState.RESTORED,), "are back"),
    "release": ((RunFileState.RELEASED, RunFileState.REST), "are deleted for good"),
}
_UNDO = {
    "fold": ", and `foldkeep unfold {run}` takes back what was done",
    "unfold": "",
    "release": ", and `foldkeep unfold {run}` brings the others back",
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
    command = work.partition(" ")[0]
    goes_on = f"`foldkeep {work}` goes on{_UNDO[command].format(run=run.id)}"
    try:
        yield
    except (sqlite3.Error, OSError) as error:
        why = reason_of(error) if isinstance(error, OSError) else f"the stock cannot be written ({error})"
        raise StoppedMidway(
            f"{why}, so run {run.id} stopped midway; no file is lost",
            f"make room or mend the disk there, then {goes_on}",
            run.id,
        ) from error
    except KeyboardInterrupt as error:
        raise InterruptedMidway(
            f"run {run.id} was interrupted: {_so_far(stock, run, command)}", goes_on, run.id
        ) from error


def _so_far(stock: Stock, run: Run, command: str) -> str:
    """Return how many files a run has done, and how many not."""
    states, words = _DONE[command]
    files = RunSummary.of(run, stock.ledger.files(run.id)).files
    done = sum(files.get(state, 0) for state in states)
    rest = sum(files.values()) - done if command == "fold" else sum(files.get(state, 0) for state in _WAITS)
    return f"{done:,} of {done + rest:,} files {words}; no file is lost"
