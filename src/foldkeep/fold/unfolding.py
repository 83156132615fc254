"""Bringing folded files back to where they were."""

import os
from collections.abc import Collection
from dataclasses import dataclass, field, replace
from itertools import count

from foldkeep.model import (
    Problem,
    Progress,
    Run,
    RunFile,
    RunFileState,
    Step,
    beside,
    no_progress,
    reason_of,
    visible,
)
from foldkeep.stock import Stock

from .journal import relative_name
from .moving import Folders, facts_of, move
from .settling import IN_THE_FOLD, files_by_place, settle, settle_all, write_down
from .vault import Vault

_BATCH_FILES = 64


@dataclass
class UnfoldReport:
    """What came back.

    Attributes
    ----------
    restored
        Files that are out of the fold again.
    renamed
        Those of them whose name was taken, with the name that they have now.
    left
        Files that stay in the fold, each with the reason.
    """

    run: int
    restored: int = 0
    renamed: list[tuple[bytes, bytes]] = field(default_factory=list)
    left: list[Problem] = field(default_factory=list)


def unfold(
    stock: Stock, run: Run, paths: Collection[bytes] | None = None, progress: Progress = no_progress
) -> UnfoldReport:
    """Move the files of a run from the fold back to where they were, with the bytes, times and modes they had.

    A folder that is gone is made again. A name that was taken in the meantime is left alone; the file gets
    a free name beside it.

    Parameters
    ----------
    stock
        A stock that is held.
    paths
        Only the files folded from these paths; all of the run when None.
    """
    settle_all(stock)
    report = UnfoldReport(run.id)
    chosen = [
        file
        for file in stock.ledger.files(run.id)
        if file.state in IN_THE_FOLD and (paths is None or file.path in paths)
    ]
    with stock.transaction():
        stock.ledger.set_underway(run.id, True)
    try:
        for place, files in files_by_place(chosen).items():
            try:
                with Vault(place, run.key) as vault, Folders(place, most=2 * _BATCH_FILES) as folders:
                    for at in range(0, len(files), _BATCH_FILES):
                        _unfold_batch(stock, vault, folders, files[at : at + _BATCH_FILES], report)
                        progress(Step("Unfolding", report.restored, len(chosen), "files"))
            except OSError as error:
                why = f"its fold cannot be worked in: {reason_of(error)}"
                report.left += [Problem(file.path, why) for file in files]
    finally:
        settle(stock, run)
    still_in = {file.path for file in stock.ledger.files(run.id) if file.state in IN_THE_FOLD}
    report.left = [problem for problem in report.left if problem.path in still_in]
    report.restored = sum(file.path not in still_in for file in chosen)
    return report


def _unfold_batch(stock: Stock, vault: Vault, folders: Folders, files: list[RunFile], report: UnfoldReport) -> None:
    """Move files back; those that find their name taken try the next one, all written down before."""
    waiting = files
    done: list[tuple[RunFile, bytes]] = []
    for number in count(1):
        if not waiting:
            break
        tries = [(file, _named(file.path, number)) for file in waiting]
        vault.journal.write(
            {"do": "unfold", "n": file.number, "to": relative_name(vault.place, path)} for file, path in tries
        )
        waiting = []
        for file, path in tries:
            try:
                folder, name = folders.of(path, make=True)
                if facts_of(vault.files, os.fsencode(file.slot)) is None:
                    report.left.append(Problem(file.path, "gone from the fold; somebody took it away"))
                    continue
                move(vault.files, os.fsencode(file.slot), folder, name)
                done.append((file, path))
            except FileExistsError:
                waiting.append(file)
            except OSError as error:
                report.left.append(Problem(file.path, reason_of(error)))
    folders.flush()
    os.fsync(vault.files)
    vault.journal.write({"done": "unfold", "n": file.number} for file, _ in done)
    report.restored += len(done)
    report.renamed += [(file.path, path) for file, path in done if file.path != path]
    write_down(stock, [_restored(file, path) for file, path in done])


def _named(path: bytes, number: int) -> bytes:
    folder, name = os.path.split(path)
    return os.path.join(folder, beside(name, number))


def _restored(file: RunFile, path: bytes) -> RunFile:
    reason = "" if path == file.path else f"its name was taken; it is {visible(path)} now"
    return replace(file, state=RunFileState.RESTORED, reason=reason)
