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
  foldkeep unfold 3 --path ~/Pictures/day-1
  foldkeep unfold --from /media/shelf-drive       a drive alone, without a stock
"""


OPTIONS = (
    Option(
        "run", "the number of a run, see the ledger", Takes.RUN, "RUN", optional=True, required=True, instead="which"
    ),
    Option("--last", "the last run with files in the fold", required=True, instead="which"),
    Option(
        "--from",
        "everything in the fold of this folder, by its journals; works without the stock",
        Takes.FOLDER,
        "DIR",
        required=True,
        to="origin",
        instead="which",
    ),
    Option("--path", "only files folded from here: a file, a folder, or a glob like '*.jpg'", Takes.WORD, "WHAT"),
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
    return ExitStatus.PROBLEMS if report.left or report.notes or report.strays else ExitStatus.DONE


def _unfold(args: argparse.Namespace, stock: "Stock", progress: "ProgressBar") -> "UnfoldReport":
    from foldkeep.fold import find_run, last_waiting_run, settle_all, unfold, unfold_from

    if args.origin:
        import os

        # What this stock knows of is brought back the usual way, so that its ledger is right afterwards.
        return unfold_from(os.fsencode(args.origin), progress, stock, break_lock=args.break_lock)
    settle_all(stock)
    chosen = last_waiting_run(stock) if args.last else find_run(stock, args.run)
    wanted = _wanted(args.path, chosen, stock.ledger.files(chosen.id)) if args.path else None
    return unfold(stock, chosen, wanted, progress, break_lock=args.break_lock)


def _wanted(text: str, chosen: "Run", files: "list[RunFile]") -> "Callable[[RunFile], bool]":
    """Return what tells whether a file is meant by ``--path``."""
    import os
    import re
    from fnmatch import translate

    from foldkeep.model import UnusableInput, visible
    from foldkeep.model.names import lies_below
    from foldkeep.model.remote import is_address, remote_path

    path = remote_path(text) if is_address(text) else os.path.abspath(os.path.expanduser(os.fsencode(text)))
    glob = re.compile(translate(text))

    def wanted(file: "RunFile") -> bool:
        if file.path == path or lies_below(file.path, path):
            return True
        shown = os.fsdecode(file.path)
        return glob.match(shown if "/" in text else os.path.basename(shown)) is not None

    if not any(map(wanted, files)):
        raise UnusableInput(
            f"run {chosen.id} folded nothing from {visible(path if '/' in text else text)}",
            f"see foldkeep ledger {chosen.id}",
        )
    return wanted
