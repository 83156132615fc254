"""Which run is meant, and what the ledger knows of it."""

import os

from foldkeep.model import Method, Run, RunFileState, UnusableInput
from foldkeep.stock import Stock

_SEE = "see foldkeep ledger"


def find_run(stock: Stock, number: int) -> Run:
    """Return a run by its number; raise UnusableInput if there is none."""
    run = stock.ledger.run(number)
    if run is None:
        raise UnusableInput(f"there is no run {number}", _SEE)
    return run


def last_waiting_run(stock: Stock, *, moved: bool = True) -> Run:
    """Return the last run of which a file waits, was `moved` or copied, or perhaps does, since it was broken off.

    Raises UnusableInput if there is none.
    """
    states = (RunFileState.WAITING, RunFileState.MOVED) if moved else (RunFileState.WAITING,)
    for summary in reversed(stock.ledger.summaries()):
        copied = moved and summary.run.method is Method.COPY and summary.files.get(RunFileState.MADE)
        unknown = summary.run.underway and summary.files.get(RunFileState.PLANNED)
        if copied or unknown or any(summary.files.get(state) for state in states):
            return summary.run
    raise UnusableInput("nothing waits in the fold", _SEE)


def waiting_run(stock: Stock, path: bytes) -> int | None:
    """Return the number of the run of which a file that was at a path waits in the fold; None if none does."""
    run = stock.ledger.waiting_from(path)
    return run.id if run else None


def gone_reason(run: int | None) -> str:
    """Return why nothing lies at the path of a spare; `run` is the one of which it waits in the fold, if it does."""
    return f"already in the fold, since run {run}" if run else "not there any more"


def known_slots(stock: Stock, run: Run | None) -> set[bytes]:
    """Return the slots of a run that the ledger knows; none of a run that it does not know."""
    return {os.fsencode(file.slot) for file in stock.ledger.files(run.id)} if run else set()
