"""Accounts of runs, as the ledger and the folds show them now: nothing here changes a file or a note."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .seen import seen_files, seen_summaries, told_of_away

__all__ = ["seen_files", "seen_summaries", "told_of_away"]

__getattr__ = names_of(__name__, __file__)
