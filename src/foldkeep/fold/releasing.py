"""Deleting folded files for good: the only deletion of contents in Fold Keep."""

import os
from dataclasses import dataclass, field, replace

from foldkeep.formats import bagit
from foldkeep.model import (
    FOLD_NAME,
    Problem,
    Progress,
    Run,
    RunFile,
    RunFileState,
    Step,
    lies_below,
    no_progress,
    reason_of,
    visible,
)
from foldkeep.scan import FILE, check_package, digest_of, open_path
from foldkeep.stock import Archived, Stock

from .identity import Identity, NotSafe
from .merging import check_said
from .moving import facts_of
from .settling import files_by_place, settle, settle_all, write_down
from .space import Space, free_space
from .vault import Vault
from .verify import check_source

_BATCH_FILES = 64


@dataclass
class ReleaseReport:
    """What was deleted for good.

    Attributes
    ----------
    released
        Files deleted.
    bytes
        Space that came free: the sizes of those that had no other hard link.
    left
        Files that stay in the fold, each with the reason.
    space
        Free space before and after, by volume.
    """

    released: int = 0
    bytes: int = 0
    left: list[Problem] = field(default_factory=list)
    space: list[Space] = field(default_factory=list)


def release(
    stock: Stock, runs: list[Run], *, allow_last_copy: bool = False, progress: Progress = no_progress
) -> ReleaseReport:
    """Delete the files of runs that wait in the fold, for good.

    Weeks may lie between folding and releasing, so a copy outside every fold is read again first: a file
    whose content is nowhere else now is left.

    Parameters
    ----------
    stock
        A stock that is held.
    allow_last_copy
        Delete also what is nowhere else.
    """
    settle_all(stock)
    report = ReleaseReport()
    work = [(run, _waiting(stock, run)) for run in runs]
    total = sum(len(files) for _, files in work)
    before = free_space({file.place: None for _, files in work for file in files})
    copies = _Copies(stock)
    for run, files in work:
        with stock.transaction():
            stock.ledger.set_underway(run.id, True)
        try:
            for place, here in files_by_place(files).items():
                try:
                    with Vault(place, run.key) as vault:
                        for at in range(0, len(here), _BATCH_FILES):
                            batch = here[at : at + _BATCH_FILES]
                            release_batch(stock, vault, batch, None if allow_last_copy else copies, report)
                            progress(Step("Releasing", report.released, total, "files"))
                except OSError as error:
                    why = f"its fold cannot be worked in: {reason_of(error)}"
                    report.left += [Problem(file.path, why) for file in here]
        finally:
            settle(stock, run)
    still_waiting = {file.path for run in runs for file in _waiting(stock, run)}
    report.left = [problem for problem in report.left if problem.path in still_waiting]
    report.space = [space.now() for space in before]
    return report


def _waiting(stock: Stock, run: Run) -> list[RunFile]:
    return [file for file in stock.ledger.files(run.id) if file.state is RunFileState.WAITING]


def release_batch(
    stock: Stock, vault: Vault, files: list[RunFile], copies: "_Copies | None", report: ReleaseReport
) -> None:
    """Delete files that wait in an open vault.

    Parameters
    ----------
    copies
        Where to look for another copy of each first; None if nothing is asked.
    """
    going: list[tuple[RunFile, int]] = []
    for file in files:
        facts = facts_of(vault.files, os.fsencode(file.slot))
        if facts is None:
            report.left.append(Problem(file.path, "gone from the fold; somebody took it away"))
        elif (facts.st_size, facts.st_mtime_ns) != (file.size, file.modified_ns):
            report.left.append(Problem(file.path, "changed in the fold; unfold it to look at it"))
        elif copies is not None and file.is_regenerable and not copies.source_stands(file, facts):
            report.left.append(
                Problem(file.path, f"what it is made from is gone: {visible(file.keeper)}; unfold it to keep it")
            )
        elif copies is not None and file.digest and not copies.one_stands(file, vault.files):
            report.left.append(
                Problem(file.path, "no copy of it outside the fold can be read now; unfold it to keep it")
            )
        else:
            going.append((file, file.size if facts.st_nlink == 1 else 0))
    if not going:
        return
    vault.journal.write({"do": "release", "n": file.number} for file, _ in going)
    gone: list[tuple[RunFile, int]] = []
    for file, freed in going:
        try:
            os.unlink(os.fsencode(file.slot), dir_fd=vault.files)
            gone.append((file, freed))
        except OSError as error:
            report.left.append(Problem(file.path, reason_of(error)))
    os.fsync(vault.files)
    vault.journal.write({"done": "release", "n": file.number} for file, _ in gone)
    report.released += len(gone)
    report.bytes += sum(freed for _, freed in gone)
    write_down(stock, [replace(file, state=RunFileState.RELEASED) for file, _ in gone])


class _Copies:
    """Looks for copies outside the folds and reads them, each path once."""

    def __init__(self, stock: Stock) -> None:
        self._stock = stock
        self._digests: dict[bytes, bytes | None] = {}
        self._sources: dict[bytes, bool] = {}
        self._packages: dict[str, bool] = {}

    def one_stands(self, file: RunFile, folder: int) -> bool:
        """Tell whether the keeper, or any other copy that the stock knows, has the content now.

        A package that holds it counts too, if all of that can be read now. Of a sidecar it is enough that the one
        which was found, or written, to say what it says still does.

        Parameters
        ----------
        folder
            The open folder that the file waits in.
        """
        if self._digest(file.keeper) == file.digest:
            return True
        if any(self._digest(path) == file.digest for path in self._stock.sets.paths_of(file.digest)):
            return True
        if any(self._is_whole(archive) for archive, _ in self._stock.archives.holding(file.digest)):
            return True
        is_said = file.words or self._stock.ledger.was_rewritten(file.keeper)
        return bool(is_said) and _says_all(file.keeper, folder, os.fsencode(file.slot))

    def source_stands(self, file: RunFile, facts: os.stat_result) -> bool:
        """Tell whether what a file can be made again from is there now, outside every fold."""
        packages = [each for each in self._stock.archives.all() if each.made_at == file.keeper]
        if packages:  # it was left out of one; another that was made there since may lack what it is made from
            return all(self._is_whole(each) and lies_below(file.path, each.project) for each in packages)
        if FOLD_NAME in file.keeper.split(b"/"):
            return False
        if file.keeper not in self._sources:
            try:
                check_source(file.keeper, Identity.of(facts))
                self._sources[file.keeper] = True
            except NotSafe:
                self._sources[file.keeper] = False
        return self._sources[file.keeper]

    def _is_whole(self, archive: Archived) -> bool:
        """Tell whether a package is there and whole now; it is read once for all that is released."""
        if archive.key not in self._packages:
            checked = check_package(archive.package)
            self._packages[archive.key] = checked.is_whole and checked.info.get(bagit.KEY_TAG) == archive.key
        return self._packages[archive.key]

    def _digest(self, path: bytes) -> bytes | None:
        if path not in self._digests:
            self._digests[path] = _digest_at(path)
        return self._digests[path]


def _says_all(path: bytes, folder: int, name: bytes) -> bool:
    """Tell whether a sidecar outside every fold says all that one in an open folder does."""
    if FOLD_NAME in path.split(b"/"):
        return False
    try:
        check_said(path, folder, name)
    except NotSafe:
        return False
    return True


def _digest_at(path: bytes) -> bytes | None:
    """Return the digest of a file that is there and outside every fold, else None."""
    if FOLD_NAME in path.split(b"/"):
        return None
    try:
        descriptor = open_path(path, FILE)
        try:
            return digest_of(descriptor, os.fstat(descriptor).st_size)[0]
        finally:
            os.close(descriptor)
    except OSError:
        return None
