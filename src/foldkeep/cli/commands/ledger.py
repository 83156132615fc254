"""Show what was folded, brought back and released, and which dockets wait.

Without a number, all runs; with one, every file of that run. With --verify,
every file that waits in the fold (or lies where it was moved to) is read again
and compared with what it was.
"""

import argparse
from typing import TYPE_CHECKING

from ..dockets import register_of
from ..environment import Environment, ExitStatus
from ..options import Option, Takes

if TYPE_CHECKING:
    from foldkeep.stock import Stock

EXAMPLES = """\
examples:
  foldkeep ledger
  foldkeep ledger 3
  foldkeep ledger --verify
"""

_MOST_FILES = 20

OPTIONS = (
    Option("run", "the number of a run", Takes.RUN, "RUN", optional=True),
    Option.top(f"list the first N files of a run in each state (on a terminal {_MOST_FILES}, else all)"),
    Option("--verify", "read folded files again and compare them"),
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Show the ledger."""
    from foldkeep.fold import find_run
    from foldkeep.fold.accounts import seen_files, seen_summaries
    from foldkeep.show.answers.ledger import LedgerAnswer, RunAnswer
    from foldkeep.stock import Stock

    with Stock.open(env.stock_path(args)) as stock:
        if args.verify:
            return _verify(args, env, stock)
        if args.run is None:
            register = register_of(args, env)
            dockets = [register.told(made) for made in register.all()]
            env.answer(args, LedgerAnswer(seen_summaries(stock), dockets, stock.holder()))
        else:
            chosen = find_run(stock, args.run)
            env.answer(args, RunAnswer(chosen, seen_files(stock, chosen), env.top(args, _MOST_FILES)))
    return ExitStatus.DONE


def _verify(args: argparse.Namespace, env: Environment, stock: "Stock") -> ExitStatus:
    from foldkeep.fold import audit, find_run
    from foldkeep.fold.accounts import seen_summaries, told_of_away
    from foldkeep.show.answers.ledger import AuditAnswer

    runs = [summary.run for summary in stock.ledger.summaries()] if args.run is None else [find_run(stock, args.run)]
    with stock.hold("ledger"), env.servers(stock), env.progress(args) as progress:
        found = audit(stock, runs, progress)
        found.problems += told_of_away(stock, runs)
    named = {run.id for run in runs}
    summaries = [summary for summary in seen_summaries(stock) if summary.run.id in named]
    env.answer(args, AuditAnswer(found, summaries))
    return env.tell_problems(args, found.problems)
