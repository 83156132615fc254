"""Bringing files back to where they were: out of the fold, or from where they were moved to."""

import os
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field, replace
from itertools import count

from foldkeep.model import (
    Method,
    Problem,
    Progress,
    Run,
    RunFile,
    RunFileState,
    Step,
    UnusableInput,
    beside,
    no_progress,
    path_from_uri,
    reason_of,
    visible,
)
from foldkeep.stock import Stock

from .copying import copy_file
from .emptying import bring_back, set_times_again
from .identity import Identity, NotSafe, move_if_unchanged
from .journal import Entry, absolute_path, relative_name
from .moving import Folders, facts_of, move
from .scene import GONE_FROM_FOLD, Spot, as_announced, copy_name, histories
from .settling import files_by_place, settle, settle_all, settled_files, write_down
from .standing import coming_out, is_stand_in
from .vault import Vault, runs_in, tidy

_BATCH_FILES = 512
_BATCH_FOLDERS = 64
COMES_BACK = (RunFileState.WAITING, RunFileState.MOVED, RunFileState.LOST, RunFileState.MADE)
"""States of files that `unfold` tries to bring back."""


@dataclass
class UnfoldReport:
    """What came back.

    Attributes
    ----------
    run
        The run's number; None where no stock knows it.
    restored
        Files that are where they were, or beside that, again.
    renamed
        Those of them whose name was taken, with the name that they have now.
    left
        Files that did not come back, each with the reason.
    """

    run: int | None
    restored: int = 0
    renamed: list[tuple[bytes, bytes]] = field(default_factory=list)
    left: list[Problem] = field(default_factory=list)


def unfold(
    stock: Stock, run: Run, wanted: Callable[[RunFile], bool] | None = None, progress: Progress = no_progress
) -> UnfoldReport:
    """Bring the files of a run back to where they were, with the bytes, times and modes they had.

    A folder that is gone is made again; one that the run emptied comes back as it was. A link or clone that
    took a file's name goes. A name that was taken by somebody is left alone; the file gets a free name
    beside it. A sidecar that the run wrote goes too, unless some of the run was released: then it may be the
    last to say what it says.

    Parameters
    ----------
    stock
        A stock that is held.
    wanted
        Tells which files; all of the run when None.
    """
    settle_all(stock)
    report = UnfoldReport(run.id)
    files = stock.ledger.files(run.id)
    chosen = [file for file in files if file.state in COMES_BACK and (wanted is None or wanted(file))]
    # What a sidecar says may have been said nowhere else by then.
    keeps_words = any(file.state is RunFileState.RELEASED for file in files)
    with stock.transaction():
        stock.ledger.set_underway(run.id, True)
    try:
        for place, files in files_by_place(chosen).items():
            _unfold_in(run.key, place, files, lambda done: write_down(stock, done), report, progress, keeps_words)
    finally:
        settle(stock, run)
    still = {file.path for file in stock.ledger.files(run.id) if file.state in COMES_BACK}
    report.left = [problem for problem in report.left if problem.path in still]
    report.restored = sum(file.path not in still for file in chosen if file.method is not Method.WRITE)
    return report


def unfold_from(folder: bytes, progress: Progress = no_progress, stock: Stock | None = None) -> UnfoldReport:
    """Bring back all that waits in the fold of a folder, told by the journals there alone.

    This needs no stock, so it works for a drive that comes from another machine.

    Parameters
    ----------
    stock
        A stock that is held. Runs that it knows in this folder are brought back as `unfold` does.

    Raises
    ------
    UnusableInput
        If the folder has no fold.
    """
    top = os.path.realpath(folder)
    try:
        keys = runs_in(top)
    except OSError as error:
        raise UnusableInput(
            f"{visible(top)} has no fold: {reason_of(error)}", "name the folder that holds .foldkeep"
        ) from error
    report = UnfoldReport(None)
    for key in keys:
        run = stock.ledger.run_called(key) if stock else None
        if stock and run and any(file.place == top for file in stock.ledger.files(run.id)):
            part = unfold(stock, run, lambda file: file.place == top, progress)
            report.restored += part.restored
            report.renamed += part.renamed
            report.left += part.left
            continue
        try:
            with Vault(top, key) as vault:
                files = settled_files(key, vault, _from_journal(top, vault.entries()))
        except FileNotFoundError:
            tidy(top, key)  # killed before anything could wait in it
            continue
        except OSError as error:
            report.left.append(Problem(top, f"run {key} cannot be read: {reason_of(error)}"))
            continue
        here = [file for file in files if file.state in COMES_BACK and file.state is not RunFileState.LOST]
        keeps_words = any(file.state is RunFileState.RELEASED for file in files)
        _unfold_in(key, top, here, _nobody_notes, report, progress, keeps_words)
        back = {file.path for file in here} - {problem.path for problem in report.left}
        if len(back) == len(here):
            tidy(top, key)
    tidy(top, "")  # a fold that never had a run
    return report


def _nobody_notes(files: list[RunFile]) -> None:
    """Write nothing down: there is no stock."""


def _from_journal(place: bytes, entries: list[Entry]) -> list[RunFile]:
    files = []
    for number, history in histories(entries).items():
        first = history.first
        with suppress(KeyError, TypeError, ValueError):
            file = RunFile(
                0,
                number,
                place,
                absolute_path(place, first["from"]),
                str(first["slot"]),
                int(first["size"]),
                int(first["modified_ns"]),
                b"",
                b"",
                RunFileState.LOST,
            )
            files.append(as_announced(file, first))
    return [file for file in files if os.path.basename(file.slot) == file.slot and file.slot not in ("", ".", "..")]


def _unfold_in(
    key: str,
    place: bytes,
    files: list[RunFile],
    note: Callable[[list[RunFile]], None],
    report: UnfoldReport,
    progress: Progress,
    keeps_words: bool,
) -> None:
    try:
        # What was moved away, or made, has nothing in the fold.
        create = any(file.state in (RunFileState.MOVED, RunFileState.MADE) for file in files)
        with (
            Vault(place, key, create=create) as vault,
            Folders(place, 2 * _BATCH_FOLDERS) as folders,
            Folders(b"/") as targets,
        ):
            bring_back(vault, folders, [file.path for file in files])
            hand = _Hand(key, vault, folders, targets, keeps_words)
            for at in range(0, len(files), _BATCH_FILES):
                note(hand.bring(files[at : at + _BATCH_FILES], report))
                progress(Step("Unfolding", report.restored, len(files), "files"))
            set_times_again(vault, folders)
            _take_away_made_folders(vault, targets)
    except OSError as error:
        why = f"its fold cannot be worked in: {reason_of(error)}"
        report.left += [Problem(file.path, why) for file in files]


class _Hand:
    """Brings files of one place and run back.

    Parameters
    ----------
    keeps_words
        Sidecars that the run wrote stay.
    """

    def __init__(self, key: str, vault: Vault, folders: Folders, targets: Folders, keeps_words: bool) -> None:
        self._key = key
        self._vault = vault
        self._folders = folders
        self._targets = targets
        self._keeps_words = keeps_words

    def bring(self, files: list[RunFile], report: UnfoldReport) -> list[RunFile]:
        """Bring files back and return them as they are then.

        Those that find their name taken try the next one, all written down before.
        """
        waiting = files
        done: list[tuple[RunFile, bytes]] = []
        for number in count(1):
            if not waiting:
                break
            tries = [(file, _named(file.path, number)) for file in waiting]
            self._vault.journal.write(
                {"do": "unfold", "n": file.number, "to": relative_name(self._vault.place, path)} for file, path in tries
            )
            waiting = []
            for file, path in tries:
                try:
                    self._bring_one(file, path)
                    done.append((file, path))
                except FileExistsError:
                    waiting.append(file)
                except NotSafe as error:
                    report.left.append(Problem(file.path, str(error)))
                except OSError as error:
                    report.left.append(Problem(file.path, reason_of(error)))
        self._folders.flush()
        self._targets.flush()
        os.fsync(self._vault.files)
        self._vault.journal.write({"done": "unfold", "n": file.number} for file, _ in done)
        report.restored += sum(file.method is not Method.WRITE for file, _ in done)
        report.renamed += [(file.path, path) for file, path in done if file.path != path]
        return [_restored(file, path) for file, path in done]

    def _bring_one(self, file: RunFile, path: bytes) -> None:
        if file.method is Method.WRITE:
            self._take_away_made(file)
            return
        slot = os.fsencode(file.slot)
        waits = facts_of(self._vault.files, slot) is not None
        if not waits and file.state is not RunFileState.MOVED:
            raise NotSafe(GONE_FROM_FOLD)
        folder, name = self._folders.of(path, make=True)
        if not waits:
            self._bring_from_target(file, folder, name)
            return
        if (file.method.links or (file.method.writes and not self._keeps_words)) and path == file.path:
            self._clear_name(file, (folder, name))
        move(self._vault.files, slot, folder, name)
        out = coming_out(file)
        if facts_of(self._vault.files, out) is not None:
            os.unlink(out, dir_fd=self._vault.files)

    def _take_away_made(self, file: RunFile) -> None:
        """Take away a sidecar that the run wrote where none was; one that somebody changed stays."""
        if self._keeps_words:
            raise NotSafe("stays, since what it says may be nowhere else now")
        try:
            home = self._folders.of(file.path)
        except FileNotFoundError:
            return
        if facts_of(*home) is None:
            return
        out = (self._vault.files, coming_out(file))
        move(*home, *out)
        if not is_stand_in(file, out, None):
            move(*out, *home)
            raise NotSafe("changed since it was written; take it away yourself")
        os.unlink(out[1], dir_fd=out[0])

    def _clear_name(self, file: RunFile, home: Spot) -> None:
        """Take the stand-in of a file from its name; what somebody else put there stays."""
        if facts_of(*home) is None:
            return
        out = (self._vault.files, coming_out(file))
        move(*home, *out)
        if not is_stand_in(file, out, (self._vault.files, os.fsencode(file.slot))):
            move(*out, *home)

    def _bring_from_target(self, file: RunFile, folder: int, name: bytes) -> None:
        source, source_name = self._targets.of(file.target)
        facts = facts_of(source, source_name)
        if facts is None:
            raise NotSafe(f"gone from {visible(file.target)}; somebody took it away")
        if (facts.st_size, facts.st_mtime_ns) != (file.size, file.modified_ns):
            raise NotSafe(f"changed since it was moved to {visible(file.target)}; take it from there yourself")
        expected = Identity.of(facts)
        if facts.st_dev == os.fstat(folder).st_dev:
            move_if_unchanged(source, source_name, folder, name, expected)
            return
        copy = copy_name(self._key, file)
        digest = copy_file(source, source_name, folder, copy)
        try:
            if file.digest not in (b"", digest):
                raise NotSafe(f"has another content since it was moved to {visible(file.target)}")
            move(folder, copy, folder, name)
        except (NotSafe, OSError):
            os.unlink(copy, dir_fd=folder)
            raise
        os.fsync(folder)
        move_if_unchanged(source, source_name, source, copy, expected)
        os.unlink(copy, dir_fd=source)


def _take_away_made_folders(vault: Vault, targets: Folders) -> None:
    """Take away the folders that were made for files to be moved into, if nothing is in them now."""
    made = []
    for entry in vault.entries():
        if entry.get("do") == "make":
            with suppress(KeyError, TypeError, ValueError):
                made.append(path_from_uri(entry["to"]))
    for path in sorted(made, key=len, reverse=True):
        with suppress(OSError):
            folder, name = targets.of(path)
            targets.close(path)
            os.rmdir(name, dir_fd=folder)


def _named(path: bytes, number: int) -> bytes:
    folder, name = os.path.split(path)
    return os.path.join(folder, beside(name, number))


def _restored(file: RunFile, path: bytes) -> RunFile:
    reason = "" if path == file.path else f"its name was taken; it is {visible(path)} now"
    return replace(file, state=RunFileState.RESTORED, reason=reason)
