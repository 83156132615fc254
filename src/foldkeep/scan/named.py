"""Kinds, places and folders that a person names, which must be known: a slip of the pen is no empty answer."""

import os
from collections.abc import Iterable

from foldkeep.model import Filter, UnusableInput, visible
from foldkeep.model.kinds import KINDS, OTHER
from foldkeep.model.spelling import advice_for, nearest
from foldkeep.stock import Stock


def check_filter(stock: Stock, wanted: Filter) -> Filter:
    """Return a filter whose kinds, places and folders are all known.

    Raises
    ------
    UnusableInput
        If one is not, with the nearest that is.
    """
    if wanted.kinds or wanted.places:
        check_names(wanted, stock.listing.kinds(), [place.label for place in stock.places.all()])
    for folder in (*wanted.under, *wanted.not_under):
        check_folder(stock, folder)
    return wanted


def check_names(wanted: Filter, kinds: Iterable[str], labels: Iterable[str]) -> None:
    """Raise UnusableInput if a filter names a kind or place that is neither built in nor among these."""
    known = [*dict.fromkeys((*KINDS, OTHER, *kinds))]
    for kind in wanted.kinds:
        if kind not in known:
            raise _unknown(f"no file is of kind {visible(kind)}", kind, known)
    places = list(labels)
    for label in wanted.places:
        if label not in places:
            raise _unknown(f"no place is called {visible(label)}", label, places)


def fits_nothing(stock: Stock, wanted: Filter) -> bool:
    """Tell whether something is asked of files, and none has it."""
    return bool(wanted) and not stock.listing.count(wanted).files


def check_folder(stock: Stock, folder: bytes) -> None:
    """Raise UnusableInput if a folder is neither known nor above one that is, with the nearest that is known."""
    if stock.listing.has_folder(folder):
        return
    name, beside = visible(os.path.basename(folder)), os.path.dirname(folder)
    # The nearest name, of folders beside it sooner than of others.
    known = sorted(stock.listing.in_folders(), key=lambda path: os.path.dirname(path) == beside)
    by_name = {visible(os.path.basename(path)): visible(path) for path in known}
    near = nearest(name, by_name)
    advice = f"did you mean {by_name[near]}?" if near else "scan it first, or see foldkeep places"
    raise UnusableInput(f"no file is known in {visible(folder)}", advice)


def _unknown(what: str, word: str, known: Iterable[str]) -> UnusableInput:
    known = list(known)
    there = f"there are {', '.join(map(visible, known))}" if known else "see foldkeep places"
    return UnusableInput(what, advice_for(visible(word), map(visible, known), there))
