"""Which run is meant."""

from foldkeep.model import Run, RunFileState, UnusableInput
from foldkeep.stock import Stock

_SEE = "see foldkeep ledger"


def find_run(stock: Stock, number: int) -> Run:
    """Return a run by its number; raise UnusableInput if there is none."""
    run = stock.ledger.run(number)
    if run is None:
        raise UnusableInput(f"there is no run {number}", _SEE)
    return run


def last_waiting_run(stock: Stock) -> Run:
    """Return the last run of which a file waits in the fold; raise UnusableInput if there is none."""
    for summary in reversed(stock.ledger.summaries()):
        if summary.files.get(RunFileState.WAITING):
            return summary.run
    raise UnusableInput("nothing waits in the fold", _SEE)
