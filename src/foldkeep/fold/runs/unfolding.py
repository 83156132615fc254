"""Bringing files back to where they were: out of the fold, or from where they were moved to."""

import os
from collections.abc import Callable, Container, Iterator
from contextlib import suppress
from dataclasses import dataclass, field
from functools import partial
from itertools import count

from foldkeep.formats.own import Rest
from foldkeep.model import (
    Method,
    PathBytes,
    Problem,
    Progress,
    Run,
    RunFile,
    RunFileState,
    Step,
    UnusableInput,
    no_progress,
    visible,
)
from foldkeep.model.names import lies_below, path_beside
from foldkeep.model.remote import is_remote
from foldkeep.model.work import reason_of
from foldkeep.stock import Stock
from foldkeep.storage.local.changes import Folders, FolderTimes, flush, move_to_free
from foldkeep.storage.local.drives import real_path
from foldkeep.storage.local.reading import NotSafe, facts_at, open_top

from ..accounts import told_of_away
from ..bench import Bench, may_have
from ..journal import FolderLeft, Returned, Returning, folder_tales
from ..lending import Lenders
from ..methods import method_of
from ..methods.method import restored
from ..places import hold_around
from ..recovery.reconcile import (
    announced_files,
    files_by_place,
    settle,
    settle_all,
    settled_files,
    take_away_made_folders,
    write_down,
)
from ..rests import Having, drop_rest
from ..servers.recovery import settled_on_server
from ..servers.returning import bring_back as bring_back_on_server
from ..servers.sides import Sides
from ..servers.vault import RemoteVault, runs_on
from ..strays import strays_in
from ..vault import Vault, fold_fault, runs_in, tidy
from .emptying import Homes, bring_back, set_times_again
from .midway import midway
from .run_lookup import known_slots

_BATCH_FILES = 512
_BATCH_FOLDERS = 64
_MOST_TRIES = 10_000
COMES_BACK = (
    RunFileState.WAITING, RunFileState.REST, RunFileState.MOVED, RunFileState.LOST, RunFileState.MADE,
)  # fmt: skip
"""States of files that `unfold` tries to bring back."""


_FROM_FOLD = b"from the fold "
_STRAY = "lay in the fold, and no line of its journal names it: look at what it is, and where it belongs"


@dataclass
class UnfoldReport:
    """Report of an unfold.

    Attributes
    ----------
    run, method
        The run's number and method; None where no stock knows it.
    restored
        Files that are where they were, or beside that, again.
    renamed
        Those of them whose name was taken, with the name that they have now.
    left
        Files that did not come back, each with the reason.
    notes
        What else has another name now: what somebody saved in the place of a link.
    away
        Places that are away where the run was broken off.
    strays
        Files in the fold that no line of a journal names; each has a name of its own at the top of its place now.
    """

    run: int | None
    restored: int = 0
    renamed: list[tuple[PathBytes, PathBytes]] = field(default_factory=list)
    left: list[Problem] = field(default_factory=list)
    notes: list[Problem] = field(default_factory=list)
    strays: list[Problem] = field(default_factory=list)
    away: list[Problem] = field(default_factory=list)
    method: Method | None = None


def unfold(
    stock: Stock,
    run: Run,
    wanted: Callable[[RunFile], bool] | None = None,
    progress: Progress = no_progress,
    *,
    break_lock: bool = False,
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
    break_lock
        Take locks of other computers on places for dead.

    Raises
    ------
    PlaceBusy
        If somebody else is at work in one of the places; nothing was changed then.
    StoppedMidway
        If the stock cannot be written any more after something was changed.
    """
    settle_all(stock)
    report = UnfoldReport(run.id, method=run.method)
    files = stock.ledger.files(run.id)
    chosen = [file for file in files if file.state in COMES_BACK and (wanted is None or wanted(file))]
    # What a sidecar says may have been said nowhere else by then.
    keeps_words = any(file.state is RunFileState.RELEASED for file in files)
    targets = {file.target for file in chosen if file.target}
    places = stock.ledger.places(run.id)
    with (
        hold_around(stock, places, "unfold", witnesses=targets, break_lock=break_lock),
        midway(stock, run, f"unfold {run.id}"),
    ):
        with stock.transaction():
            stock.ledger.set_underway(run.id, True)
        try:
            for place, files in files_by_place(chosen).items():
                if is_remote(place):
                    having_copies = partial(_surely_having, stock, Sides(stock), run.key)
                    _unfold_on_server(
                        run.key, place, files, partial(write_down, stock), having_copies, report, progress
                    )
                    continue
                note, having = partial(write_down, stock), Lenders(stock).having
                _unfold_in(run.key, place, files, note, report, progress, keeps_words, having)
            if wanted is None:
                for place in places:
                    _bring_strays(place, run.key, partial(known_slots, stock, run), report)
        finally:
            settle(stock, run)
    still = {file.path for file in stock.ledger.files(run.id) if file.state in COMES_BACK}
    report.left = [problem for problem in report.left if problem.path in still]
    report.away = told_of_away(stock, [run])
    report.restored = sum(file.path not in still for file in chosen if file.method is not Method.WRITE)
    return report


def unfold_from(
    folder: PathBytes, progress: Progress = no_progress, stock: Stock | None = None, *, break_lock: bool = False
) -> UnfoldReport:
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
    PlaceBusy
        If somebody else is at work there; nothing was changed then.
    """
    top = real_path(folder)
    keys = runs_on if is_remote(top) else runs_in
    try:
        keys(top)
    except OSError as error:
        if isinstance(error, PermissionError) and not is_remote(top):
            why = f"the fold of {visible(top)} cannot be opened: {fold_fault(top, error)}"
            raise UnusableInput(why, "unfold as that user, or have the right given") from error
        raise UnusableInput(
            f"{visible(top)} has no fold: {reason_of(error)}", "name the folder that holds .foldkeep"
        ) from error
    if stock:
        settle_all(stock)
    report = UnfoldReport(None)
    with hold_around(stock, [top], "unfold", break_lock=break_lock):
        with suppress(FileNotFoundError):  # whoever held it before took the last of it away
            for key in keys(top):
                _unfold_key(top, key, report, progress, stock, break_lock)
        if not is_remote(top):
            tidy(top, "")  # a fold that never had a run
    return report


def _unfold_key(
    top: PathBytes, key: str, report: UnfoldReport, progress: Progress, stock: Stock | None, break_lock: bool
) -> None:
    run = stock.ledger.run_called(key) if stock else None
    if stock and run and any(file.place == top for file in stock.ledger.files(run.id)):
        part = unfold(stock, run, lambda file: file.place == top, progress, break_lock=break_lock)
        report.restored += part.restored
        report.renamed += part.renamed
        report.left += part.left
        report.notes += part.notes
        _bring_strays(top, key, partial(known_slots, stock, run), report)
        tidy(top, key)
        return
    if is_remote(top):
        _unfold_key_on_server(top, key, report, progress)
        return
    unknown: set[int] = set()
    try:
        # Of a run that was killed as it began, or as it was tidied, not all folders are there.
        with Vault(top, key, create=True) as vault:
            announced = announced_files(vault.records())
            if vault.journal.version == 1:
                announced = [_carried(top, file) for file in announced]
            files = settled_files(key, vault, announced, unknown)
    except OSError as error:
        report.left.append(Problem(top, f"run {key} cannot be read: {reason_of(error)}"))
        return
    here = [file for file in files if file.state in COMES_BACK and file.state is not RunFileState.LOST]
    # A file whose drive is away is told of as well, when it cannot be brought back.
    here += [file for file in files if file.number in unknown and file not in here]
    keeps_words = any(file.state is RunFileState.RELEASED for file in files)
    left = len(report.left)
    _unfold_in(key, top, here, _nobody_notes, report, progress, keeps_words, _keeper)
    _bring_strays(top, key, tuple, report)
    stays = {problem.path for problem in report.left[left:]}
    if not any(file.path in stays for file in here):
        tidy(top, key, {file.number for file in files})


def _bring_strays(
    top: PathBytes, key: str, slots: Callable[[], Container[bytes]], report: UnfoldReport
) -> None:  # fmt: skip
    """Give what lies in the folder of a run and nobody knows a name of its own at the top of the place."""
    if is_remote(top):
        return
    try:
        with Vault(top, key) as vault:
            names = strays_in(vault.files, vault.records, slots)
            if not names:
                return
            folder = open_top(top)
            try:
                for name in names:
                    got = move_to_free(vault.files, name, folder, _FROM_FOLD + name)
                    report.strays.append(Problem(os.path.join(top, got), _STRAY))
                flush(folder)
                flush(vault.files)
            finally:
                os.close(folder)
    except FileNotFoundError:
        return
    except OSError as error:
        report.left.append(Problem(top, f"the fold of run {key} cannot be worked in: {reason_of(error)}"))


def _unfold_key_on_server(top: PathBytes, key: str, report: UnfoldReport, progress: Progress) -> None:
    unknown: set[int] = set()
    try:
        vault = RemoteVault(top, key)
        files = settled_on_server(vault, announced_files(vault.records()), unknown)
    except OSError as error:
        report.left.append(Problem(top, f"run {key} cannot be read: {reason_of(error)}"))
        return
    here = [file for file in files if file.state in COMES_BACK and file.state is not RunFileState.LOST]
    here += [file for file in files if file.number in unknown and file not in here]
    left = len(report.left)
    _unfold_on_server(key, top, here, _nobody_notes, lambda _: [], report, progress)  # copies stay without a stock
    if len(report.left) == left:
        with suppress(OSError):  # the next one goes on
            RemoteVault(top, key).tidy({file.number for file in files})


def _carried(top: PathBytes, file: RunFile) -> RunFile:
    """Return a file with its target as it is on a drive that is mounted elsewhere now.

    An earlier Fold Keep wrote down where a file was moved to as it was then, also below the place itself.
    """
    if not file.target or lies_below(file.target, top) or os.path.lexists(file.target):
        return file
    steps = file.target.strip(b"/").split(b"/")
    for at in range(len(steps)):
        path = os.path.join(top, *steps[at:])
        with suppress(OSError):
            if path != file.path and facts_at(path).st_size == file.size:
                return file._replace(target=path)
    return file


def _nobody_notes(files: list[RunFile]) -> None:
    """Write nothing down: there is no stock."""


def _keeper(file: RunFile, rest: Rest | None) -> Iterator[PathBytes]:  # noqa: ARG001
    """Yield where a file with the essence of one was: there is no stock to ask for others."""
    yield file.keeper


def _surely_having(stock: Stock, sides: Sides, key: str, file: RunFile) -> list[PathBytes]:
    """Return the files that may have the content of a copy on a server, and are surely others; NotSafe if none is."""
    return sides.apart(file.place, key, Lenders(stock).having(file, None))


def _unfold_on_server(
    key: str, place: PathBytes, files: list[RunFile], note: Callable[[list[RunFile]], None],
    having: Callable[[RunFile], list[PathBytes]], report: UnfoldReport, progress: Progress,
) -> None:  # fmt: skip
    try:
        # What was moved away, or made, has nothing in the fold.
        create = any(file.state in (RunFileState.MOVED, RunFileState.MADE) for file in files)
        vault = RemoteVault(place, key, create=create)
        renamed, left = bring_back_on_server(vault, files, note, having, progress)
    except (OSError, UnusableInput) as error:
        why = f"its fold cannot be worked in: {reason_of(error)}"
        report.left += [Problem(file.path, why) for file in files]
        return
    report.renamed += renamed
    report.left += left
    report.restored += len(files) - len({problem.path for problem in left})


def _unfold_in(
    key: str,
    place: PathBytes,
    files: list[RunFile],
    note: Callable[[list[RunFile]], None],
    report: UnfoldReport,
    progress: Progress,
    keeps_words: bool,
    having: Having,
) -> None:
    try:
        # What was moved away, or made, has nothing in the fold.
        create = any(file.state in (RunFileState.MOVED, RunFileState.MADE) for file in files)
        with (
            Vault(place, key, create=create) as vault,
            Folders(place, 2 * _BATCH_FOLDERS) as folders,
            Folders(b"/") as targets,
        ):
            times = _untouched(vault)
            homes = Homes(folders)
            bring_back(vault, folders, homes, [file.path for file in files])
            bench = Bench(key, vault, folders, targets, keeps_words=keeps_words, having=having)
            hand = _Hand(bench, homes)
            for at in range(0, len(files), _BATCH_FILES):
                note(hand.bring(files[at : at + _BATCH_FILES], report))
                progress(Step("Unfolding", report.restored, len(files), "files"))
            report.notes += bench.notes
            set_times_again(vault, folders, homes)
            take_away_made_folders(vault, targets)
            _give_times_back(vault, times)
    except OSError as error:
        why = f"its fold cannot be worked in: {fold_fault(place, error)}"
        told = {problem.path for problem in report.left}
        report.left += [Problem(file.path, why) for file in files if file.path not in told]


def _untouched(vault: Vault) -> dict[PathBytes, FolderTimes]:
    """Return the former times of the folders that nobody changed since the run did."""
    found = {}
    for path, tale in folder_tales(vault.folder_records()).items():
        with suppress(OSError):
            if facts_at(path).st_mtime_ns in tale.left_ns:
                found[path] = tale.times
    return found


def _give_times_back(vault: Vault, times: dict[PathBytes, FolderTimes]) -> None:
    """Give folders the times that they had before the run."""
    back = []
    for path, before in times.items():
        with suppress(OSError):
            os.utime(path, ns=(before.accessed_ns, before.modified_ns), follow_symlinks=False)
            back.append(FolderLeft(path, facts_at(path).st_mtime_ns))
    vault.journal.write(back)


class _Hand:
    """Brings files of one place and run back."""

    def __init__(self, bench: Bench, homes: Homes) -> None:
        self._bench = bench
        self._homes = homes
        self._ours: set[PathBytes] = set()

    def bring(self, files: list[RunFile], report: UnfoldReport) -> list[RunFile]:
        """Bring files back and return them as they are then.

        Those that find their name taken try the next one, all written down before.
        """
        bench = self._bench
        why = {file.number: self._homes.why_not(file.path) for file in files}
        report.left += [Problem(file.path, why[file.number]) for file in files if why[file.number]]
        waiting = [file for file in files if not why[file.number]]
        done: list[tuple[RunFile, PathBytes]] = []
        for number in count(1):
            tries = [(file, path_beside(self._homes.of(file.path), number)) for file in waiting]
            if not tries or number > _MOST_TRIES:
                break
            bench.vault.journal.write(Returning(file.number, path) for file, path in tries)
            waiting = []
            for file, path in tries:
                try:
                    if number > 1 and not self._may_have(path):
                        raise FileExistsError
                    method_of(file).undo(bench, file, path)
                    self._ours.add(path)
                    done.append((file, path))
                except FileExistsError:
                    waiting.append(file)
                except NotADirectoryError as error:
                    self._divert(file, waiting, report, error)
                except NotSafe as error:
                    report.left.append(Problem(file.path, str(error)))
                except OSError as error:
                    report.left.append(Problem(file.path, reason_of(error)))
        report.left += [Problem(file.path, "no name is free for it where it was") for file in waiting]
        bench.flush(returning=True)
        bench.vault.journal.write(Returned(file.number) for file, _ in done)
        for file, path in done:
            if file.may_have_rest:
                with suppress(OSError):  # it stays as it is; what it is of is back
                    drop_rest(bench.vault.files, file, bench.folders.of(path))
        report.restored += sum(file.method is not Method.WRITE for file, _ in done)
        report.renamed += [(file.path, path) for file, path in done if file.path != path]
        return [restored(file, path) for file, path in done]

    def _divert(
        self, file: RunFile, waiting: list[RunFile], report: UnfoldReport, error: OSError
    ) -> None:  # fmt: skip
        """Have a file come back beside where it was, since a folder on the way is now a file or a link."""
        with suppress(OSError):
            if self._homes.divert(file.path):
                waiting.append(file)
                return
        report.left.append(Problem(file.path, reason_of(error)))

    def _may_have(self, path: PathBytes) -> bool:
        """Tell whether a file may have a name beside its own without becoming a companion of somebody else's."""
        try:
            folder, name = self._bench.folders.of(path)
        except OSError:
            return True
        return may_have(folder, name, {os.path.basename(each) for each in self._ours})
