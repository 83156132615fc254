"""Bring folded files back to where they were.

Bytes, times and modes are as they were, and so are the folders that became
empty. A link or clone that took a file's name goes. If somebody took the name
in the meantime, the file gets a free name beside it, and that is said. What was
moved with `--method move` comes back as well; what is in the desktop's bin only
the desktop brings back.
"""

import argparse
from typing import TYPE_CHECKING

from ..environment import Environment, ExitStatus
from ..options import BREAK_LOCK, Option, Takes

if TYPE_CHECKING:
    from collections.abc import Callable

    from foldkeep.fold import UnfoldReport
    from foldkeep.model import Run, RunFile
    from foldkeep.show.page import ProgressBar
    from foldkeep.stock import Stock

EXAMPLES = """\
examples:
  foldkeep unfold --last
  foldkeep unfold --path ~/Pictures/day-1/kite.jpg
  foldkeep unfold --from /media/shelf-drive    a drive, without a stock
"""


OPTIONS = (
    Option("run", "the number of a run, see the ledger", Takes.RUN, "RUN", optional=True, instead="which"),
    Option("--last", "the last run with files in the fold", instead="which"),
    Option(
        "--from",
        "everything in the fold of this folder, by its journals; works without the stock",
        Takes.FOLDER,
        "DIR",
        to="origin",
        instead="which",
    ),
    Option(
        "--path",
        "only files folded from here: a file, a folder, or a glob like '*.jpg'; alone the last run that has any",
        Takes.WORD,
        "WHAT",
    ),
    BREAK_LOCK,
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Find the run and unfold it."""
    import os

    from foldkeep.model import UnusableInput
    from foldkeep.show.answers.unfold import UnfoldAnswer
    from foldkeep.stock import Stock

    if args.origin and args.path:
        raise UnusableInput("--from takes all that waits there", "leave --path out")
    if not (args.origin or args.last or args.path or args.run is not None):
        raise UnusableInput("no run is named", "say which: a number, --last, --path WHAT or --from DIR; see the ledger")
    path = env.stock_path(args)
    with env.progress(args) as progress:
        if args.origin and not os.path.exists(path):
            from foldkeep.fold import unfold_from

            with env.servers(None, [args.origin]):
                report = unfold_from(os.fsencode(args.origin), progress, break_lock=args.break_lock)
        else:
            named = [args.origin] if args.origin else []
            with Stock.open(path) as stock, stock.hold("unfold"), env.servers(stock, named):
                env.follow_drives(stock)
                report = _unfold(args, stock, progress)
    env.answer(args, UnfoldAnswer(report))
    return ExitStatus.PROBLEMS if report.left or report.notes or report.strays or report.away else ExitStatus.DONE


def _unfold(args: argparse.Namespace, stock: "Stock", progress: "ProgressBar") -> "UnfoldReport":
    from foldkeep.fold import find_run, last_waiting_run, settle_all, unfold, unfold_from
    from foldkeep.model import UnusableInput, visible

    if args.origin:
        import os

        # What this stock knows of is brought back the usual way, so that its ledger is right afterwards.
        return unfold_from(os.fsencode(args.origin), progress, stock, break_lock=args.break_lock)
    settle_all(stock)
    wanted = _wanted(args.path) if args.path else None
    if wanted is not None and not args.last and args.run is None:
        chosen = _run_with(stock, wanted, args.path)
    else:
        chosen = last_waiting_run(stock) if args.last else find_run(stock, args.run)
        if wanted is not None and not any(map(wanted, stock.ledger.files(chosen.id))):
            raise UnusableInput(
                f"run {chosen.id} folded nothing from {visible(args.path)}", f"see foldkeep ledger {chosen.id}"
            )
    return unfold(stock, chosen, wanted, progress, break_lock=args.break_lock)


def _run_with(stock: "Stock", wanted: "Callable[[RunFile], bool]", text: str) -> "Run":
    """Return the last run of which a file that is meant waits in the fold; raise UnusableInput if none does."""
    from foldkeep.model import RunFileState, UnusableInput, visible

    for summary in reversed(stock.ledger.summaries()):
        waiting = summary.files.get(RunFileState.WAITING)
        if waiting and any(map(wanted, stock.ledger.files(summary.run.id, (RunFileState.WAITING,)))):
            return summary.run
    raise UnusableInput(f"nothing from {visible(text)} waits in a fold", "see foldkeep ledger")


def _wanted(text: str) -> "Callable[[RunFile], bool]":
    """Return what tells whether a file is meant by ``--path``."""
    import os
    import re
    from fnmatch import translate

    from foldkeep.model.names import lies_below
    from foldkeep.model.remote import is_address, remote_path

    path = remote_path(text) if is_address(text) else os.path.abspath(os.path.expanduser(os.fsencode(text)))
    glob = re.compile(translate(text))

    def wanted(file: "RunFile") -> bool:
        if file.path == path or lies_below(file.path, path):
            return True
        shown = os.fsdecode(file.path)
        return glob.match(shown if "/" in text else os.path.basename(shown)) is not None

    return wanted
