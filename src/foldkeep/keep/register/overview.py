"""Where a person stands: what is known, what waits, and what comes next."""

from collections.abc import Iterable
from typing import NamedTuple

from foldkeep.find.copies import Question, Totals, duplicates
from foldkeep.model import RunFileState, RunSummary
from foldkeep.scan import Presence, presences
from foldkeep.stock import Stock

from .made import ToldDocket
from .register import DocketRegister


class StockOverview(NamedTuple):
    """What a stock knows and what waits.

    Attributes
    ----------
    places, away
        How many places are known, and the labels of those that cannot be reached now.
    files, size
        How many files they have, and bytes of them.
    scanned_ns
        When a scan ended last.
    totals
        Sets of equal files, their spares, and the bytes that come free with them.
    dockets
        That wait, the newest last.
    runs
        Of which files wait in folds.
    broken_off
        Runs that are under way, or were interrupted.
    holder
        Who is at work with the stock now; empty if nobody is.
    damaged
        How many files were found damaged.
    """

    places: int
    away: tuple[str, ...]
    files: int
    size: int
    scanned_ns: int
    totals: Totals
    dockets: tuple[ToldDocket, ...]
    runs: tuple[RunSummary, ...]
    broken_off: tuple[RunSummary, ...]
    holder: str
    damaged: int


def overview_of(stock: Stock, register: DocketRegister, runs: Iterable[RunSummary]) -> StockOverview:
    """Return what a stock knows and what waits; no files are looked at but those of `runs`, which folds show."""
    runs = list(runs)
    places = stock.places.all()
    now = presences(stock)
    sizes = stock.places.sizes()
    here = (Presence.HERE, Presence.SERVER, Presence.ELSEWHERE)
    return StockOverview(
        len(places),
        tuple(place.label for place in places if now[place.id] not in here),
        sum(files for files, _ in sizes.values()),
        sum(size for _, size in sizes.values()),
        max((place.scanned_ns or 0 for place in places), default=0),
        duplicates(stock, Question()).overview().totals,
        tuple(map(register.told, register.open())),
        tuple(each for each in runs if each.files.get(RunFileState.WAITING)),
        tuple(each for each in runs if each.run.underway),
        stock.holder(),
        len(stock.checks.damaged()),
    )
