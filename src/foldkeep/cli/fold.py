"""Carry out a docket: move the spares into the fold.

Every spare is read again and compared with its keeper, byte for byte, before
it moves. The fold is the folder .foldkeep at the top of the place, on the same
volume, so nothing is copied and nothing is deleted: `foldkeep unfold` brings
everything back, and only `foldkeep release` frees the space.
"""

import argparse

from .environment import Environment, ExitStatus

EXAMPLES = """\
examples:
  foldkeep fold docket.csv
  foldkeep fold docket.csv --yes
"""


def arrange(parser: argparse.ArgumentParser) -> None:
    """Declare the arguments."""
    parser.add_argument("docket", metavar="DOCKET", help="a file that a finder wrote, perhaps changed by you")
    parser.add_argument("--yes", action="store_true", help="go ahead without asking")
    parser.add_argument("--method", choices=["fold"], default="fold", help="what to do with the spares (default: fold)")


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Check, show, ask, fold."""
    from foldkeep.fold import FoldReport, fold, make_plan
    from foldkeep.keep import read_docket
    from foldkeep.show import problem_documents, show_folded, show_plan
    from foldkeep.stock import Stock

    rows = read_docket(args.docket)
    with Stock.open(env.stock_path(args)) as stock, stock.hold("fold"):
        plan = make_plan(args.docket, rows, stock.places.all())
        if plan.items and not env.confirm(args, f"Fold {len(plan.items):,} files?", lambda page: show_plan(page, plan)):
            return ExitStatus.DONE
        with env.progress(args) as progress:
            report = fold(stock, plan, progress) if plan.items else FoldReport()
    document = {
        "command": "fold",
        "run": report.run,
        "folded": report.folded,
        "bytes": report.bytes,
        "left": problem_documents(report.left),
    }
    env.answer(args, document, lambda page: show_folded(page, report))
    return ExitStatus.PROBLEMS if report.left else ExitStatus.DONE
