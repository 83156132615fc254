"""What became of the files of a run that was broken off, as folds and journals show it: nothing is changed or noted."""

import os
from collections.abc import Collection, Iterable
from contextlib import suppress

from foldkeep.model import Method, PathBytes, Problem, Run, RunFile, RunFileState, RunSummary
from foldkeep.model.remote import is_remote
from foldkeep.scan import Presence, presences
from foldkeep.stock import Stock
from foldkeep.storage.local.reading import open_top

from ..journal import Going, History, Releasing, histories
from ..vault import files_folder, records_in


def seen_summaries(stock: Stock) -> list[RunSummary]:
    """Return every run with its files counted by state; of one that is under way, or was broken off, as folds show it.

    Where a place is away the ledger's word stands, and the summary names the place.
    """
    summaries = stock.ledger.summaries()
    if not any(summary.run.underway for summary in summaries):
        return summaries
    away = _away(stock)
    return [_summary(stock, each.run, away) if each.run.underway else each for each in summaries]


def _summary(stock: Stock, run: Run, away: Collection[PathBytes]) -> RunSummary:
    files = _seen(run, stock.ledger.files(run.id), away)
    missing = {file.place for file in files if file.place in away and file.state is RunFileState.PLANNED}
    return RunSummary.of(run, files)._replace(away=tuple(sorted(missing)))


def seen_files(stock: Stock, run: Run) -> list[RunFile]:
    """Return the files of a run; of one that is under way, or was broken off, with the states that its folds show."""
    files = stock.ledger.files(run.id)
    return _seen(run, files, _away(stock)) if run.underway else files


def told_of_away(stock: Stock, runs: Iterable[Run]) -> list[Problem]:
    """Return the places that are away and that hold what runs were doing when they were broken off, a problem each."""
    numbers = {run.id for run in runs}
    broken_off = [run for run in stock.ledger.unsettled() if run.id in numbers]
    away = _away(stock) if broken_off else ()
    return [
        Problem(place, f"away, and run {run.id} was broken off there; connect its drive and run this again")
        for run in broken_off
        for place in _summary(stock, run, away).away
    ]


def _away(stock: Stock) -> set[PathBytes]:
    here = presences(stock)
    return {place.path for place in stock.places.all() if here[place.id] not in (Presence.HERE, Presence.SERVER)}


def _seen(run: Run, files: list[RunFile], away: Collection[PathBytes]) -> list[RunFile]:
    """Return files with the states that the folds of their places show; those on servers and away are as they were."""
    slots: dict[PathBytes, set[str]] = {}
    tales: dict[PathBytes, dict[int, History]] = {}
    for place in {file.place for file in files}:
        if not is_remote(place) and place not in away:
            folder = files_folder(place, run.key)
            slots[place], tales[place] = _names_in(folder), _histories(os.path.dirname(folder), place)
    return [
        file._replace(state=_state(file, slots[file.place], tales[file.place].get(file.number, History())))
        if file.place in slots
        else file
        for file in files
    ]


def _names_in(folder: PathBytes) -> set[str]:
    with suppress(OSError):
        return {os.fsdecode(name) for name in os.listdir(folder)}
    return set()


def _histories(folder: PathBytes, place: PathBytes) -> dict[int, History]:
    with suppress(OSError):
        run = open_top(folder)
        try:
            return histories(records_in(run, place))
        finally:
            os.close(run)
    return {}


def _state(file: RunFile, slots: Collection[str], history: History) -> RunFileState:
    """Return the state of a file that the disk shows; the one that it has where the disk does not tell."""
    if file.state not in (RunFileState.PLANNED, RunFileState.WAITING, RunFileState.MOVED):
        return file.state
    if file.slot in slots:
        return RunFileState.WAITING
    is_home = os.path.lexists(file.path)
    if isinstance(history.last, Releasing) and not is_home:
        return RunFileState.RELEASED
    if file.state is RunFileState.PLANNED:
        if file.method is Method.MOVE and not is_home and os.path.lexists(file.target):
            return RunFileState.MOVED
        if file.method is Method.BIN and not is_home and history.last is not None:
            return RunFileState.BINNED
        is_copied = file.method is Method.COPY and isinstance(history.last, Going) and not history.pending
        return RunFileState.MADE if is_copied and os.path.lexists(file.target) else file.state
    is_there = bool(file.target) and os.path.lexists(file.target)
    is_back = is_home and not is_there and not isinstance(history.last, Going)
    return RunFileState.RESTORED if is_back else file.state
