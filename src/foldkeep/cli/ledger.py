"""Tell what was folded, brought back and released.

Without a number, all runs; with one, every file of that run.
"""

import argparse

from .environment import Environment, ExitStatus

EXAMPLES = """\
examples:
  foldkeep ledger
  foldkeep ledger 3
  foldkeep ledger --json
"""


def arrange(parser: argparse.ArgumentParser) -> None:
    """Declare the arguments."""
    parser.add_argument("run", nargs="?", type=int, metavar="RUN", help="the number of a run")


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Show the ledger."""
    from foldkeep.fold import find_run
    from foldkeep.model import RunSummary
    from foldkeep.show import Page, run_document, run_file_document, show_ledger, show_run
    from foldkeep.stock import Stock

    with Stock.open(env.stock_path(args)) as stock:
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
