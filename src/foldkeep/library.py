"""What programs call: Fold Keep without its command line.

The examples run where a folder ``Pictures`` holds ``kite.jpg``, a copy of it under ``best/kite (1).jpg``, and
``tent.jpg``. Whoever changes something waits for another Fold Keep that is at work on the same stock or place.
"""

import os
from collections.abc import Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor

from foldkeep.find.catalogs import descriptions
from foldkeep.find.compare import load_inventory
from foldkeep.find.compare import save_inventory as save_places
from foldkeep.find.copies import Question, duplicates
from foldkeep.find.references import ProjectFolders
from foldkeep.fold import (
    FoldReport,
    Plan,
    ReleaseReport,
    UnfoldReport,
    addition_plan,
    check_plan,
    find_run,
    fold,
    make_plan,
    release,
    settle_all,
    unfold,
)
from foldkeep.formats.own import general_recipes
from foldkeep.keep import Wishes, current_rows, propose_for, read_docket, write_docket
from foldkeep.keep.dockets import derived_again
from foldkeep.model import Action, CopySet, DocketRow, Filter, FoldKeepError, Method, Role, RunSummary, UnusableInput
from foldkeep.scan import ScanReport, add_place, scan
from foldkeep.stock import Stock
from foldkeep.storage.local.drives import real_path

__all__ = [
    "Action",
    "Filter",
    "FoldKeepError",
    "Method",
    "Role",
    "Stock",
    "UnusableInput",
    "choose_keepers",
    "find_duplicates",
    "fold_spares",
    "list_runs",
    "open_inventory",
    "open_stock",
    "plan_fold",
    "read_docket",
    "release_runs",
    "save_inventory",
    "scan_places",
    "unfold_run",
    "write_docket",
]

PathLike = str | bytes | os.PathLike[str] | os.PathLike[bytes]


def open_stock(path: str | os.PathLike[str], *, create: bool = False) -> Stock:
    """Open the stock in a file; use it in a ``with`` block, or close it.

    Raises
    ------
    UnusableInput
        If there is none and `create` is false, or the file is no stock.

    Examples
    --------
    >>> with open_stock("stock.sqlite3", create=True) as stock:
    ...     len(stock.places.all())
    0
    """
    return Stock.open(os.fspath(path), create=create)


def scan_places(stock: Stock, *folders: PathLike, role: Role | None = None, read_all: bool = False) -> ScanReport:
    """Look into folders, which become places of the stock, and remember what lies in them.

    Parameters
    ----------
    folders
        The places known already when there are none.
    role
        What the places are for; those that are known keep theirs when None, new ones are for working.
    read_all
        Read every file whole, also where no other can have its content.

    Returns
    -------
    ScanReport
        What was seen and read; `problems` names what could not be.

    Examples
    --------
    >>> with open_stock("stock.sqlite3", create=True) as stock:
    ...     report = scan_places(stock, "Pictures")
    >>> report.files, report.hashed_files
    (3, 2)
    """
    with stock.hold("scan"), ThreadPoolExecutor((os.cpu_count() or 1) + 1) as executor:
        places = [add_place(stock, os.fsencode(folder), role) for folder in folders] or stock.places.all()
        return scan(stock, places, executor, read_all=read_all)


def find_duplicates(
    stock: Stock, wanted: Filter | None = None, *, same: Iterable[str] = ("content",), across: bool = False
) -> Iterator[CopySet]:
    """Yield the sets of copies, the largest saving first, as the last scan saw them.

    Parameters
    ----------
    wanted
        Only sets of which a copy fits.
    same
        What copies agree in: ``content``, ``name``, ``size``, ``modified``; without ``content`` for looking only.
    across
        Take all places as one, whatever their roles.

    Examples
    --------
    >>> with open_stock("stock.sqlite3", create=True) as stock:
    ...     _ = scan_places(stock, "Pictures")
    ...     for found in find_duplicates(stock):
    ...         print(found.kind, [os.path.basename(copy.path) for copy in found.copies])
    photo [b'kite.jpg', b'kite (1).jpg']
    """
    return duplicates(stock, Question(across, frozenset(same), wanted=wanted or Filter())).sets()


def choose_keepers(stock: Stock, wishes: Wishes | None = None) -> list[DocketRow]:
    """Choose the copy of each set to keep, and say why; return the rows of a docket.

    Parameters
    ----------
    wishes
        Rules, what is protected, how many stay; the usual when None.

    Examples
    --------
    >>> with open_stock("stock.sqlite3", create=True) as stock:
    ...     _ = scan_places(stock, "Pictures")
    ...     for row in choose_keepers(stock):
    ...         print(row.action, os.path.basename(row.path), "-", row.reason)
    keep b'kite.jpg' - its name does not look like a copy's
    fold b'kite (1).jpg' - its name looks like a copy's
    """
    wishes = wishes or Wishes()
    projects = None if wishes.ignores_projects else ProjectFolders(stock)
    return list(propose_for(stock, Question(), wishes, projects, stock.catalogs.all()))


def plan_fold(
    stock: Stock,
    rows: Sequence[DocketRow],
    method: Method = Method.FOLD,
    into: PathLike = b"",
    *,
    allow_last_copy: bool = False,
) -> Plan:
    """Check the rows of a docket against each other, the places and the files; return what would be done.

    Parameters
    ----------
    into
        The folder that `Method.MOVE` moves to, or `Method.COPY` copies to.
    allow_last_copy
        Let sets go of which no copy stays.

    Raises
    ------
    UnusableInput
        If the rows contradict each other, a set would keep no copy, or a file lies in no place.

    Examples
    --------
    >>> with open_stock("stock.sqlite3", create=True) as stock:
    ...     _ = scan_places(stock, "Pictures")
    ...     [os.path.basename(item.row.path) for item in plan_fold(stock, choose_keepers(stock)).going]
    [b'kite (1).jpg']
    """
    rows = current_rows(stock, rows)
    target = real_path(os.fsencode(into)) if into else b""
    if method.adds:
        damage = stock.checks.damaged()
        return check_plan(stock, addition_plan("a program", rows, stock.places.all(), method, target, damage))
    folders = ProjectFolders(stock)
    cache = os.fsencode(os.environ.get("XDG_CACHE_HOME") or os.path.expanduser("~/.cache"))
    derived = derived_again(stock, rows, general_recipes(), folders, real_path(cache))
    made = make_plan(
        "a program", rows, stock.places.all(), method, target, allow_last_copy=allow_last_copy, derived=derived
    )
    return check_plan(stock, made, described=descriptions(stock, stock.catalogs.all()))


def fold_spares(
    stock: Stock, rows: Sequence[DocketRow], method: Method = Method.FOLD, into: PathLike = b""
) -> FoldReport:
    """Carry out a docket: read each spare and its keeper again, then put the spare into the fold of its place.

    Returns
    -------
    FoldReport
        `run` is the number that `unfold_run` and `release_runs` take, None if nothing was to be done; `left` says
        why what was left.

    Raises
    ------
    UnusableInput
        As `plan_fold` does, or if a volume cannot do what the method needs; nothing was changed then.

    Examples
    --------
    >>> with open_stock("stock.sqlite3", create=True) as stock:
    ...     _ = scan_places(stock, "Pictures")
    ...     report = fold_spares(stock, choose_keepers(stock))
    >>> report.folded, os.path.exists("Pictures/best/kite (1).jpg")
    (1, False)
    """
    with stock.hold("fold"):
        checked = plan_fold(stock, rows, method, into)
        return fold(stock, checked) if checked.items else FoldReport(method=method)


def unfold_run(stock: Stock, run: int) -> UnfoldReport:
    """Bring the files of a run back to where they were.

    Returns
    -------
    UnfoldReport
        `renamed` has those whose names were taken, `left` what could not come back.

    Raises
    ------
    UnusableInput
        If there is no such run.

    Examples
    --------
    >>> with open_stock("stock.sqlite3", create=True) as stock:
    ...     _ = scan_places(stock, "Pictures")
    ...     report = fold_spares(stock, choose_keepers(stock))
    ...     back = unfold_run(stock, report.run)
    >>> back.restored, os.path.exists("Pictures/best/kite (1).jpg")
    (1, True)
    """
    with stock.hold("unfold"):
        settle_all(stock)
        return unfold(stock, find_run(stock, run))


def release_runs(stock: Stock, *numbers: int) -> ReleaseReport:
    """Delete the files of runs that wait in the fold, for good; a file whose content is nowhere else is left.

    Raises
    ------
    UnusableInput
        If there is no such run.

    Examples
    --------
    >>> with open_stock("stock.sqlite3", create=True) as stock:
    ...     _ = scan_places(stock, "Pictures")
    ...     report = fold_spares(stock, choose_keepers(stock))
    ...     gone = release_runs(stock, report.run)
    >>> gone.released, gone.left
    (1, [])
    """
    with stock.hold("release"):
        settle_all(stock)
        return release(stock, [find_run(stock, number) for number in numbers])


def list_runs(stock: Stock) -> list[RunSummary]:
    """Return every run of the ledger, with its files counted by what became of them.

    Examples
    --------
    >>> with open_stock("stock.sqlite3", create=True) as stock:
    ...     _ = scan_places(stock, "Pictures")
    ...     _ = fold_spares(stock, choose_keepers(stock))
    ...     for summary in list_runs(stock):
    ...         print(summary.run.id, sum(summary.files.values()))
    1 1
    """
    return stock.ledger.summaries()


def save_inventory(stock: Stock, path: str | os.PathLike[str]) -> str:
    """Save what the stock knows of all its places in one file; return where, a free name if that was taken.

    Examples
    --------
    >>> with open_stock("stock.sqlite3", create=True) as stock:
    ...     _ = scan_places(stock, "Pictures")
    ...     save_inventory(stock, "pictures.inventory")
    'pictures.inventory'
    """
    written, _, _ = save_places(stock, stock.places.all(), os.fspath(path))
    return written


def open_inventory(path: str | os.PathLike[str]) -> Stock:
    """Open an inventory as a stock in memory, which answers questions as any other.

    Raises
    ------
    UnusableInput
        If it is no whole inventory.

    Examples
    --------
    >>> with open_stock("stock.sqlite3", create=True) as stock:
    ...     _ = scan_places(stock, "Pictures")
    ...     _ = save_inventory(stock, "pictures.inventory")
    >>> with open_inventory("pictures.inventory") as stock:
    ...     sum(1 for _ in find_duplicates(stock))
    1
    """
    return load_inventory(os.fspath(path))
