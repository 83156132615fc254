"""`foldkeep` alone: where a person stands, and the next step."""

import argparse
from typing import TYPE_CHECKING

from .dockets import register_of
from .environment import Environment, ExitStatus

if TYPE_CHECKING:
    from foldkeep.keep.register import StockOverview

FIRST_STEPS = """\
Fold Keep knows no folder of yours yet. Begin with one of these:

  foldkeep guide ~/Pictures     goes the usual way with you, a question at a time
  foldkeep scan ~/Pictures      reads a folder; nothing in it is changed
  foldkeep demo                 shows it all on a small library of its own

`foldkeep --help` lists all commands.
"""


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Look into the stock, tell, and name the next command."""
    from foldkeep.fold.accounts import seen_summaries
    from foldkeep.keep.register import overview_of
    from foldkeep.show.answers.start import StartAnswer
    from foldkeep.stock import Stock

    with Stock.open(env.stock_path(args)) as stock:
        found = overview_of(stock, register_of(args, env), seen_summaries(stock))
    if not found.places:
        env.stdout.write(FIRST_STEPS)
        return ExitStatus.DONE
    env.answer(args, StartAnswer(found))
    env.next(args, *_next(found))
    return ExitStatus.DONE


def _next(found: "StockOverview") -> tuple[str, ...]:
    """Return the command that comes next."""
    if found.broken_off and not found.holder:
        return ("ledger",)
    if found.dockets:
        last = found.dockets[-1]
        return ("fold" if last.decided or last.is_changed else "review", last.made.shown)
    if not found.scanned_ns:
        return ("scan",)
    return ("keep",) if found.totals.spares and not found.runs else ("checkup",)
