"""Tell what was folded, brought back and released.

Without a number, all runs; with one, every file of that run. With --verify,
every file that waits in the fold (or lies where it was moved to) is read again
and compared with what it was.
"""

import argparse
from typing import TYPE_CHECKING

from .environment import Environment, ExitStatus

if TYPE_CHECKING:
    from foldkeep.stock import Stock

EXAMPLES = """\
examples:
  foldkeep ledger
  foldkeep ledger 3
  foldkeep ledger --verify
"""


def arrange(parser: argparse.ArgumentParser) -> None:
    """Declare the arguments."""
    parser.add_argument("run", nargs="?", type=int, metavar="RUN", help="the number of a run")
    parser.add_argument("--verify", action="store_true", help="read again what was put away")


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Show the ledger."""
    from foldkeep.fold import find_run
    from foldkeep.model import RunSummary
    from foldkeep.show import Page, run_document, run_file_document, show_ledger, show_run
    from foldkeep.stock import Stock

    with Stock.open(env.stock_path(args)) as stock:
        if args.verify:
            return _verify(args, env, stock)
        if args.run is None:
            summaries = stock.ledger.summaries()
            runs = [run_document(summary) for summary in summaries]

            def draw(page: Page) -> None:
                show_ledger(page, summaries)
        else:
            chosen = find_run(stock, args.run)
            files = stock.ledger.files(chosen.id)
            details = [run_file_document(file) for file in files]
            runs = [{**run_document(RunSummary.of(chosen, files)), "details": details}]

            def draw(page: Page) -> None:
                show_run(page, chosen, files)

    env.answer(args, {"command": "ledger", "runs": runs}, draw)
    return ExitStatus.DONE


def _verify(args: argparse.Namespace, env: Environment, stock: "Stock") -> ExitStatus:
    from foldkeep.fold import audit, find_run
    from foldkeep.show import problem_documents, run_document, show_audit

    runs = [summary.run for summary in stock.ledger.summaries()] if args.run is None else [find_run(stock, args.run)]
    with env.progress(args) as progress:
        found = audit(stock, runs, progress)
    named = {run.id for run in runs}
    document = {
        "command": "ledger",
        "runs": [run_document(summary) for summary in stock.ledger.summaries() if summary.run.id in named],
        "verified": found.verified,
        "bytes": found.bytes,
        "problems": problem_documents(found.problems),
    }
    env.answer(args, document, lambda page: show_audit(page, found))
    return env.tell_problems(args, found.problems)
