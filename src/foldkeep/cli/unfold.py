"""Bring folded files back to where they were.

Bytes, times and modes are as they were. If a name was taken in the meantime,
the file gets a free name beside it, and that is said.
"""

import argparse

from .environment import Environment, ExitStatus

EXAMPLES = """\
examples:
  foldkeep unfold --last
  foldkeep unfold 3
  foldkeep unfold 3 --path ~/Pictures/day-1/kite.jpg
"""


def arrange(parser: argparse.ArgumentParser) -> None:
    """Declare the arguments."""
    which = parser.add_mutually_exclusive_group(required=True)
    which.add_argument("run", nargs="?", type=int, metavar="RUN", help="the number of a run, see the ledger")
    which.add_argument("--last", action="store_true", help="the last run of which files wait in the fold")
    parser.add_argument("--path", metavar="FILE", help="only the file that was folded from here")


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Find the run and unfold it."""
    import os

    from foldkeep.fold import find_run, last_waiting_run, settle_all, unfold
    from foldkeep.model import UnusableInput, visible
    from foldkeep.show import path_document, problem_documents, show_unfolded
    from foldkeep.stock import Stock

    with Stock.open(env.stock_path(args)) as stock, stock.hold("unfold"):
        settle_all(stock)
        chosen = last_waiting_run(stock) if args.last else find_run(stock, args.run)
        paths = None
        if args.path:
            path = os.path.abspath(os.fsencode(args.path))
            if path not in {file.path for file in stock.ledger.files(chosen.id)}:
                raise UnusableInput(
                    f"run {chosen.id} folded nothing from {visible(path)}", f"see foldkeep ledger {chosen.id}"
                )
            paths = {path}
        with env.progress(args) as progress:
            report = unfold(stock, chosen, paths, progress)
    document = {
        "command": "unfold",
        "run": report.run,
        "restored": report.restored,
        "renamed": [{"from": path_document(was), "to": path_document(now)} for was, now in report.renamed],
        "left": problem_documents(report.left),
    }
    env.answer(args, document, lambda page: show_unfolded(page, report))
    return ExitStatus.PROBLEMS if report.left else ExitStatus.DONE
