"""What became of the files of a run that empties bins, told from the disk: no fold has anything of them."""

import os

from foldkeep.model import Run, RunFileState
from foldkeep.stock import Stock

_NOT_BEGUN = "the run ended before it was deleted"


def settle_emptied(stock: Stock, run: Run) -> None:
    """Find out which files of a run that empties bins are gone; what cannot be looked at now stays as it was."""
    settled = []
    certain = True
    for file in stock.ledger.files(run.id, [RunFileState.PLANNED]):
        if os.path.lexists(file.path):
            settled.append(file._replace(state=RunFileState.LEFT, reason=_NOT_BEGUN))
        elif os.path.isdir(file.place):
            settled.append(file._replace(state=RunFileState.RELEASED))
        else:
            certain = False  # its drive is away
    with stock.transaction():
        stock.ledger.update(settled)
        if certain:
            stock.ledger.set_underway(run.id, False)
