"""Finding out on the disk what became of the files of a run, whatever ended it.

This is the one place that turns what lies on the disk into what the ledger says. It runs after every change,
and before the next one where a process was killed in between.
"""

import os
from collections import defaultdict
from collections.abc import Iterable
from dataclasses import replace

from foldkeep.model import Method, Run, RunFile, RunFileState, kind_of
from foldkeep.scan import FILE, Presence, digest_of, facts_at, open_path, presences
from foldkeep.stock import Sighting, Stock

from .moving import Folders, facts_of
from .scene import NOT_BEGUN, History, Scene, histories
from .vault import Vault, tidy

IN_THE_FOLD = (RunFileState.WAITING, RunFileState.LOST)
"""States of files that may lie in the fold; what is lost may be found again, say on a drive that came back."""

_OPEN = (*IN_THE_FOLD, RunFileState.PLANNED, RunFileState.MOVED, RunFileState.MADE)

GONE = (RunFileState.WAITING, RunFileState.MOVED, RunFileState.BINNED, RunFileState.RELEASED)
"""States of files that went as they were meant to go."""

_NO_FOLD = "its place or its fold is not there now; what became of it is found out when it is back"


def settle_all(stock: Stock) -> None:
    """Settle every run that a killed process left under way."""
    for run in stock.ledger.unsettled():
        settle(stock, run)


def settle(stock: Stock, run: Run, *, trusts_ledger: bool = False) -> None:
    """Bring the ledger's files of a run in line with the disk, and take away a fold that became empty.

    A run whose place is not there stays unsettled; nothing is concluded from a drive that is away.

    Parameters
    ----------
    trusts_ledger
        What the ledger says of files that are not merely planned was written just now, by this process.
    """
    certain = True
    states = (RunFileState.PLANNED,) if trusts_ledger else _OPEN
    uncertain = files_by_place(stock.ledger.files(run.id, states))
    for place in stock.ledger.places(run.id):
        files = uncertain.get(place, [])
        try:
            with Vault(place, run.key) as vault:
                settled = settled_files(run.key, vault, files)
        except OSError:
            is_here = _is_here(stock, place)
            settled = [_without_fold(file, is_here) for file in files]
            certain &= all(file.state is not RunFileState.PLANNED for file in settled)
        write_down(stock, [now for now, before in zip(settled, files, strict=True) if now != before])
        # A drive alone can take back what was moved off it only by its journal.
        if run.method is not Method.MOVE or RunFileState.MOVED not in stock.ledger.places(run.id)[place]:
            tidy(place, run.key)
    if certain:
        with stock.transaction():
            stock.ledger.set_underway(run.id, False)


def settled_files(key: str, vault: Vault, files: Iterable[RunFile]) -> list[RunFile]:
    """Return files of a run as the disk shows them, after tidying what was left half done."""
    files = list(files)
    known = histories(vault.entries()) if files else {}
    with Folders(vault.place) as folders, Folders(b"/") as targets:
        return [Scene(key, vault, folders, targets, file, known.get(file.number, History())).settle() for file in files]


def files_by_place(files: Iterable[RunFile]) -> dict[bytes, list[RunFile]]:
    """Return files by the place in whose fold they are or were."""
    found: dict[bytes, list[RunFile]] = defaultdict(list)
    for file in files:
        found[file.place].append(file)
    return found


def write_down(stock: Stock, files: list[RunFile]) -> None:
    """Write files of a run into the ledger, and what follows from their states into the stock."""
    if not files:
        return
    with stock.transaction():
        stock.ledger.update(files)
        stock.files.forget([file.path for file in files if file.state in GONE])
        stock.files.forget([file.target for file in files if file.target and file.state is RunFileState.RESTORED])
        for file in files:
            if file.method.writes:
                _learn(stock, file.path)
                continue
            links = file.state is RunFileState.WAITING and file.method in (Method.HARD_LINK, Method.CLONE)
            if file.state is RunFileState.MOVED:
                _remember(stock, file, file.target)
            elif file.state is RunFileState.RESTORED or links:
                _remember(stock, file, file.path)


def _learn(stock: Stock, path: bytes) -> None:
    """Put a sidecar into the stock as it is now."""
    stock.files.forget([path])
    try:
        descriptor = open_path(path, FILE)
        try:
            facts = os.fstat(descriptor)
            digest, size = digest_of(descriptor, facts.st_size)
        finally:
            os.close(descriptor)
    except OSError:
        return
    if size == facts.st_size:
        stock.files.remember(path, _sighting(path, facts), digest)


def _remember(stock: Stock, file: RunFile, path: bytes) -> None:
    """Put a file that is not what the stock knows any more back into it, if its content is what it was."""
    try:
        facts = facts_at(path)
    except OSError:
        return
    same_time = facts.st_mtime_ns == file.modified_ns or file.method is Method.HARD_LINK
    if facts.st_size == file.size and same_time and file.digest:
        stock.files.remember(path, _sighting(path, facts), file.digest)


def _sighting(path: bytes, facts: os.stat_result) -> Sighting:
    name = os.path.basename(path)
    return Sighting(
        name, kind_of(name), facts.st_size, facts.st_mtime_ns, facts.st_ino, facts.st_nlink, facts.st_uid,
        blocks=facts.st_blocks,
    )  # fmt: skip


def _is_here(stock: Stock, path: bytes) -> bool:
    now = presences(stock)
    return any(place.path == path and now[place.id] is Presence.HERE for place in stock.places.all())


def _without_fold(file: RunFile, place_is_here: bool) -> RunFile:
    """Return what can be said of a file whose fold cannot be looked into: nothing, if it may lie there."""
    if file.state is not RunFileState.PLANNED:
        return file
    if file.method is Method.WRITE and place_is_here:
        return replace(file, state=RunFileState.LEFT, reason=file.reason or NOT_BEGUN)
    try:
        with Folders(file.place) as folders:
            there = facts_of(*folders.of(file.path))
    except OSError:
        there = None
    if there is not None and (there.st_size, there.st_mtime_ns) == (file.size, file.modified_ns):
        return replace(file, state=RunFileState.LEFT, reason=file.reason or NOT_BEGUN)
    return replace(file, reason=_NO_FOLD)
