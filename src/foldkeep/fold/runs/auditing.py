"""Reading again what was put away, to be sure that it is still what it was."""

import os
import time
from dataclasses import dataclass, field

from foldkeep.model import Method, Problem, Progress, Run, RunFile, RunFileState, Step, UnusableInput, no_progress
from foldkeep.model.remote import is_remote
from foldkeep.model.work import reason_of
from foldkeep.scan import places_here
from foldkeep.stock import Check, Checked, CheckResult, Stock
from foldkeep.storage.local.reading import NotSafe, digest_of, modified_ns, open_top, opened
from foldkeep.storage.remote import read_remote

from ..accounts import seen_files
from ..rests import check_rest
from ..strays import stray_files
from ..vault import files_folder
from .run_lookup import known_slots

_STRAY = "lies in a fold, and no line of a journal names it; unfold its run, which gives it a name of its own"
_UNREADABLE = "cannot be read where it waits"


@dataclass
class Audit:
    """Report of an audit: files that were read again.

    Attributes
    ----------
    verified, bytes
        Files that are what they were, and the sum of their sizes.
    problems
        Files that are not, or that could not be read.
    back
        Files that were waiting when last looked at, and lie where they were by now.
    """

    verified: int = 0
    bytes: int = 0
    problems: list[Problem] = field(default_factory=list)
    back: int = 0


def audit(stock: Stock, runs: list[Run], progress: Progress = no_progress) -> Audit:
    """Read every file of runs that waits in the fold, or lies where it was moved or copied to, and compare its digest.

    When each was found right is written down. What lies in a fold and no journal names is a problem, of whatever run.

    Parameters
    ----------
    stock
        A stock that is held.
    """
    found = Audit()
    checks: list[Check] = []
    files = [
        (file, os.path.join(files_folder(file.place, run.key), os.fsencode(file.slot)))
        for run in runs
        for file in seen_files(stock, run)
    ]
    work = [(file, slot) for file, slot in files if _is_audited(file)]
    total = sum(file.size for file, _ in work)
    done = 0
    for file, slot in work:
        done += file.size
        if _is_back(file, slot):
            found.back += 1
            continue
        if file.state is RunFileState.REST:
            why = _rest_fault(file, os.path.dirname(slot))
        else:
            why = _difference(file, slot if file.state is RunFileState.WAITING else file.target)
        now_ns = time.time_ns()
        checks.append(Check(Checked.FOLDED, slot, now_ns, _result(why), None if why else now_ns, file.content))
        if why:
            found.problems.append(Problem(file.path, why))
        else:
            found.verified += 1
            found.bytes += file.size
        progress(Step("Reading again", done, total, "bytes"))
    found.problems += _strays(stock)
    with stock.transaction():
        stock.checks.put(checks)
    return found


def _is_audited(file: RunFile) -> bool:
    """Tell whether a file lies where the run put it, or should."""
    if file.state in (RunFileState.WAITING, RunFileState.MOVED, RunFileState.REST):
        return True
    return file.method is Method.COPY and file.state is RunFileState.MADE


def _is_back(file: RunFile, slot: bytes) -> bool:
    """Tell whether a file that waited lies where it was, with its content: another stock brought it back."""
    if file.state is not RunFileState.WAITING or is_remote(file.place) or os.path.lexists(slot):
        return False
    return not _difference(file, file.path)


def _strays(stock: Stock) -> list[Problem]:
    """Return the files in the folds of the places that are here that no journal names, nor the ledger."""
    here = places_here(stock)

    def known(key: str) -> set[bytes]:
        return known_slots(stock, stock.ledger.run_called(key))

    paths = (path for place in stock.places.all() if place.id in here for path in stray_files(place.path, known))
    return [Problem(path, _STRAY) for path in paths]


def _result(why: str) -> CheckResult:
    if not why:
        return CheckResult.RIGHT
    return CheckResult.UNREADABLE if why.startswith(_UNREADABLE) else CheckResult.CHANGED


def _difference_afar(file: RunFile, path: bytes) -> str:
    try:
        digest, stamp = read_remote(path)
    except (OSError, UnusableInput) as error:
        return f"{_UNREADABLE}: {reason_of(error)}"
    if stamp.size != file.size:
        return f"has {'more' if stamp.size > file.size else 'fewer'} bytes than when it was folded"
    return "its content is not what was folded" if file.content and digest != file.content else ""


def _rest_fault(file: RunFile, folder: bytes) -> str:
    """Return what is wrong with the rest of a released file; empty if it is whole."""
    try:
        files = open_top(folder)
    except OSError as error:
        return f"its rest cannot be read: {reason_of(error)}"
    try:
        check_rest(files, file)
    except (NotSafe, OSError) as error:
        return reason_of(error)
    finally:
        os.close(files)
    return ""


def _difference(file: RunFile, path: bytes) -> str:
    if is_remote(path):
        return _difference_afar(file, path)
    try:
        with opened(path) as descriptor:
            digest, size = digest_of(descriptor, file.size)
            changed = modified_ns(os.fstat(descriptor)) not in (file.modified_ns, file.target_modified_ns)
    except OSError as error:
        return f"{_UNREADABLE}: {reason_of(error)}"
    if size != file.size:
        return f"has {'more' if size > file.size else 'fewer'} bytes than when it was folded"
    if file.content and digest != file.content:
        return "its content is not what was folded"
    return "its time changed since it was folded, its content did not" if changed else ""
