"""Carrying out a docket: every spare verified, written down, moved into the fold of its place."""

import os
import secrets
import time
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime

from foldkeep.model import (
    Problem,
    Progress,
    Run,
    RunFile,
    RunFileState,
    Step,
    file_uri,
    format_digest,
    no_progress,
    reason_of,
)
from foldkeep.stock import Stock

from .journal import relative_name
from .moving import Folders, facts_of, move
from .plan import Item, Plan
from .settling import settle, settle_all
from .vault import Vault, slot_name
from .verify import Identity, NotSafe, Verified, keeper_stands, verify

# One flush of the journal serves this many files, or as many as have this many bytes: enough to make its
# cost small, few enough that little time passes between comparing a file and moving it.
_BATCH_FILES = 64
_BATCH_BYTES = 256 * 1024 * 1024


@dataclass
class FoldReport:
    """What carrying out a docket came to.

    Attributes
    ----------
    run
        The run's number, or None if there was nothing to do.
    folded, bytes
        Files that wait in the fold now, and the sum of their sizes.
    left
        Files that stay where they are, each with the reason.
    """

    run: int | None = None
    folded: int = 0
    bytes: int = 0
    left: list[Problem] = field(default_factory=list)

    @classmethod
    def of(cls, run: Run, files: list[RunFile]) -> "FoldReport":
        """Return what the ledger tells of a run."""
        waiting = [file for file in files if file.state is RunFileState.WAITING]
        left = [Problem(file.path, file.reason) for file in files if file.state is not RunFileState.WAITING]
        return cls(run.id, len(waiting), sum(file.size for file in waiting), left)


@dataclass(frozen=True, slots=True)
class _Move:
    """A verified spare, the open folder that it lies in, and its file in the ledger."""

    file: RunFile
    folder: int
    name: bytes
    verified: Verified


def fold(stock: Stock, plan: Plan, progress: Progress = no_progress) -> FoldReport:
    """Move the spares of a plan into the folds of their places.

    Each spare and its keeper are read again and compared first. What is about to be moved is written into
    the ledger and into the journal beside the fold and flushed; then it is moved, by a rename that cannot
    overwrite; then that is flushed and written down as well. A file that is not as the docket says, or
    whose keeper is not, is left where it is.

    Parameters
    ----------
    stock
        A stock that is held.
    """
    settle_all(stock)
    if not plan.by_place:
        return FoldReport()
    run, files = _write_down(stock, plan)
    try:
        done = 0
        for place, items in plan.by_place.items():
            for size in _fold_place(stock, run, place, list(zip(items, files[place], strict=True))):
                done += size
                progress(Step("Comparing and folding", done, plan.bytes, "bytes"))
    finally:
        # Also when interrupted: what was done is looked up on the disk and written down.
        settle(stock, run)
    return FoldReport.of(run, stock.ledger.files(run.id))


def _write_down(stock: Stock, plan: Plan) -> tuple[Run, dict[bytes, list[RunFile]]]:
    now = time.time_ns()
    # The moment is for people; the random part makes the key unique where clocks are wrong.
    moment = datetime.fromtimestamp(now // 1_000_000_000, UTC).strftime("%Y%m%dT%H%M%SZ")
    files: dict[bytes, list[RunFile]] = {}
    number = 0
    with stock.transaction():
        run = stock.ledger.begin(
            f"{moment}-{secrets.token_hex(4)}", "fold", os.fsencode(os.path.abspath(plan.docket)), now
        )
        for place, items in plan.by_place.items():
            files[place] = []
            for item in items:
                number += 1
                files[place].append(_run_file(run, number, item))
            stock.ledger.put(files[place])
    return run, files


def _run_file(run: Run, number: int, item: Item) -> RunFile:
    row = item.row
    return RunFile(
        run.id,
        number,
        item.place.path,
        row.path,
        slot_name(number, row.path),
        row.size,
        row.modified_ns,
        row.digest or b"",
        b"",
        RunFileState.PLANNED,
    )


def _fold_place(stock: Stock, run: Run, place: bytes, work: list[tuple[Item, RunFile]]) -> Iterator[int]:
    """Fold the files of one place by batches and yield how many bytes each batch had."""
    try:
        with Vault(place, run.key, create=True) as vault, Folders(place, most=2 * _BATCH_FILES) as folders:
            for batch in _batches(work):
                _fold_batch(stock, vault, folders, batch)
                yield sum(file.size for _, file in batch)
    except OSError as error:
        # The fold cannot be made or its journal not be written, so nothing more may move in this place.
        why = f"its fold cannot be written: {reason_of(error)}"
        known = {file.number for file in stock.ledger.files(run.id) if file.state is not RunFileState.PLANNED}
        with stock.transaction():
            stock.ledger.put(replace(file, reason=why) for _, file in work if file.number not in known)


def _batches(work: list[tuple[Item, RunFile]]) -> Iterator[list[tuple[Item, RunFile]]]:
    batch: list[tuple[Item, RunFile]] = []
    size = 0
    for item, file in work:
        batch.append((item, file))
        size += file.size
        if len(batch) >= _BATCH_FILES or size >= _BATCH_BYTES:
            yield batch
            batch, size = [], 0
    if batch:
        yield batch


def _fold_batch(stock: Stock, vault: Vault, folders: Folders, batch: list[tuple[Item, RunFile]]) -> None:
    moves: list[_Move] = []
    settled: list[RunFile] = []
    for item, file in batch:
        try:
            moves.append(_look(stock, vault, folders, item, file))
        except (NotSafe, OSError) as error:
            settled.append(_left(file, error))
    vault.journal.write(_intention(vault, each) for each in moves)
    for each in moves:
        try:
            _move_into(vault, each)
            settled.append(replace(each.file, state=RunFileState.WAITING))
        except (NotSafe, OSError) as error:
            settled.append(_left(each.file, error))
    folders.flush()
    os.fsync(vault.files)
    folded = [file for file in settled if file.state is RunFileState.WAITING]
    vault.journal.write({"done": "fold", "n": file.number} for file in folded)
    with stock.transaction():
        stock.ledger.put(settled)
        for file in folded:
            stock.files.forget(file.path)


def _look(stock: Stock, vault: Vault, folders: Folders, item: Item, file: RunFile) -> _Move:
    try:
        folder, name = folders.of(file.path)
    except FileNotFoundError:
        raise NotSafe("not there any more") from None
    except NotADirectoryError:
        raise NotSafe("a folder on the way to it is now a link or a file") from None
    if os.fstat(folder).st_dev != vault.device:
        raise NotSafe("on another volume than the fold of its place; make that volume a place of its own")
    if facts_of(folder, name) is None and (earlier := stock.ledger.waiting_from(file.path)):
        raise NotSafe(f"already in the fold, since run {earlier.id}")
    verified = verify(item.row, folder, name, item.keepers)
    return _Move(replace(file, keeper=verified.keeper_path, digest=verified.digest), folder, name, verified)


def _intention(vault: Vault, each: _Move) -> dict[str, object]:
    return {
        "do": "fold",
        "n": each.file.number,
        "slot": each.file.slot,
        "from": relative_name(vault.place, each.file.path),
        "size": each.file.size,
        "modified_ns": each.file.modified_ns,
        "digest": format_digest(each.file.digest),
        "keeper": file_uri(each.file.keeper),
    }


def _move_into(vault: Vault, each: _Move) -> None:
    """Move a verified spare, if it and its keeper are still the files that were compared."""
    _check_unchanged(each.folder, each.name, each.verified.spare)
    if not keeper_stands(each.verified):
        raise NotSafe("its keeper changed or went away")
    slot = os.fsencode(each.file.slot)
    move(each.folder, each.name, vault.files, slot)
    try:
        # Somebody may have put another file there between the last look and the move.
        _check_unchanged(vault.files, slot, each.verified.spare)
    except NotSafe:
        move(vault.files, slot, each.folder, each.name)
        raise


def _check_unchanged(folder: int, name: bytes, expected: Identity) -> None:
    facts = facts_of(folder, name)
    if facts is None:
        raise NotSafe("went away while it was folded")
    if Identity.of(facts) != expected:
        raise NotSafe("changed while it was folded")


def _left(file: RunFile, error: NotSafe | OSError) -> RunFile:
    why = reason_of(error) if isinstance(error, OSError) else str(error)
    return replace(file, state=RunFileState.LEFT, reason=why)
