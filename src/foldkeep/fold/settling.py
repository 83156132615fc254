"""Finding out on the disk what became of the files of a run, whatever ended it.

This is the one place that turns what lies in a fold into what the ledger says. It runs after every change,
and before the next one where a process was killed in between. It changes no file but for one case: where
a move by hard link was cut in two, the file has two names, and the one in the fold goes.
"""

import os
from collections import defaultdict
from collections.abc import Iterable
from dataclasses import replace

from foldkeep.model import Run, RunFile, RunFileState, kind_of, parse_digest, path_from_uri
from foldkeep.scan import open_path
from foldkeep.stock import Sighting, Stock

from .journal import Entry, absolute_path
from .moving import Folders, facts_of
from .vault import Vault, tidy

IN_THE_FOLD = (RunFileState.WAITING, RunFileState.LOST)
"""States of files that may lie in the fold; what is lost may be found again, say on a drive that came back."""

_NOT_BEGUN = "the run ended before it was folded"
_NO_FOLD = "its place or its fold is not there now; what became of it is found out when it is back"


def settle_all(stock: Stock) -> None:
    """Settle every run that a killed process left under way."""
    for run in stock.ledger.unsettled():
        settle(stock, run)


def settle(stock: Stock, run: Run) -> None:
    """Bring the ledger's files of a run in line with the disk, and take away a fold that became empty.

    A run whose place is not there stays unsettled; nothing is concluded from a drive that is away.
    """
    certain = True
    for place, files in files_by_place(stock.ledger.files(run.id)).items():
        uncertain = [file for file in files if file.state in IN_THE_FOLD or file.state is RunFileState.PLANNED]
        try:
            with Vault(place, run.key) as vault:
                last = {entry.get("n"): entry for entry in vault.entries() if "do" in entry}
                write_down(stock, [_settled(vault, file, last.get(file.number, {})) for file in uncertain])
        except OSError:
            settled = [_without_fold(file) for file in uncertain]
            write_down(stock, settled)
            certain &= all(file.state is not RunFileState.PLANNED for file in settled)
        tidy(place, run.key)
    if certain:
        with stock.transaction():
            stock.ledger.set_underway(run.id, False)


def files_by_place(files: Iterable[RunFile]) -> dict[bytes, list[RunFile]]:
    """Return files by the place in whose fold they are or were."""
    found: dict[bytes, list[RunFile]] = defaultdict(list)
    for file in files:
        found[file.place].append(file)
    return found


def write_down(stock: Stock, files: list[RunFile]) -> None:
    """Write files of a run into the ledger, and what follows from their states into the stock."""
    with stock.transaction():
        stock.ledger.put(files)
        for file in files:
            if file.state is RunFileState.WAITING:
                stock.files.forget(file.path)
            elif file.state is RunFileState.RESTORED:
                _remember(stock, file)


def _remember(stock: Stock, file: RunFile) -> None:
    try:
        facts = _facts_at(file.path)
    except OSError:
        return
    if (facts.st_size, facts.st_mtime_ns) == (file.size, file.modified_ns):
        name = os.path.basename(file.path)
        sighting = Sighting(
            name, kind_of(name), file.size, file.modified_ns, facts.st_ino, facts.st_nlink, facts.st_uid
        )
        stock.files.remember(file.path, sighting, file.digest)


def _facts_at(path: bytes) -> os.stat_result:
    folder = open_path(os.path.dirname(path), os.O_RDONLY | os.O_DIRECTORY)
    try:
        return os.stat(os.path.basename(path), dir_fd=folder, follow_symlinks=False)
    finally:
        os.close(folder)


def _settled(vault: Vault, file: RunFile, last: Entry) -> RunFile:
    """Return a file with the state that the disk shows; `last` is what was last about to be done to it."""
    try:
        file, target = _as_announced(vault, file, last)
    except (KeyError, TypeError, ValueError):
        last, target = {}, file.path  # not a line that we wrote
    slot = facts_of(vault.files, os.fsencode(file.slot))
    if slot is not None and slot.st_nlink == 1:
        return replace(file, state=RunFileState.WAITING, reason="")
    began = file.state is not RunFileState.PLANNED
    there = _facts_below(vault.place, target)
    same = slot is not None and there is not None and (slot.st_dev, slot.st_ino) == (there.st_dev, there.st_ino)
    if same:
        os.unlink(os.fsencode(file.slot), dir_fd=vault.files)
    elif slot is not None:
        return replace(file, state=RunFileState.WAITING, reason="")
    elif began and last.get("do") == "release":
        return replace(file, state=RunFileState.RELEASED)
    if not began:
        return replace(file, state=RunFileState.LEFT, reason=file.reason or _NOT_BEGUN)
    if there is not None and (there.st_size, there.st_mtime_ns) == (file.size, file.modified_ns):
        return replace(file, state=RunFileState.RESTORED)
    return replace(file, state=RunFileState.LOST, reason="gone from the fold; somebody took it away")


def _as_announced(vault: Vault, file: RunFile, last: Entry) -> tuple[RunFile, bytes]:
    """Return a file with what its journal entry tells of it, and the path where it should be outside the fold."""
    if last.get("do") == "unfold":
        return file, absolute_path(vault.place, last["to"])
    if "keeper" in last:
        file = replace(file, keeper=path_from_uri(last["keeper"]), digest=parse_digest(last["digest"]))
    return file, file.path


def _facts_below(place: bytes, path: bytes) -> os.stat_result | None:
    with Folders(place) as folders:
        try:
            return facts_of(*folders.of(path))
        except OSError:
            return None


def _without_fold(file: RunFile) -> RunFile:
    """Return what can be said of a file whose fold cannot be looked into: nothing, if it may lie there."""
    if file.state is not RunFileState.PLANNED:
        return file
    there = _facts_below(file.place, file.path)
    if there is not None and (there.st_size, there.st_mtime_ns) == (file.size, file.modified_ns):
        return replace(file, state=RunFileState.LEFT, reason=file.reason or _NOT_BEGUN)
    return replace(file, reason=_NO_FOLD)
