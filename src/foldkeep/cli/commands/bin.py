"""List what lies in the desktop's bins, and which contents lie nowhere else.

The user's own bin, and those at the top of each volume that has a place (the
freedesktop.org Trash specification); bins of other systems are counted. What
has a copy elsewhere is told by reading. `foldkeep release --bin` empties them.
"""

import argparse

from ..environment import Environment, ExitStatus
from ..options import Option, Takes

EXAMPLES = """\
examples:
  foldkeep bin
  foldkeep bin --there-for 30d --json
"""

_TOP_ON_TERMINAL = 20


OPTIONS = (
    Option(
        "--there-for",
        "only what has lain there for longer: 30d, 2w, 6m",
        Takes.AGE,
        "AGE",
        former=("--older-than",),
    ),
    Option.top(f"list the first N (on a terminal {_TOP_ON_TERMINAL}, else all)"),
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Look and tell."""
    from foldkeep.find.coverage import look_into_bins
    from foldkeep.show.answers.bin import BinAnswer
    from foldkeep.stock import Stock

    with Stock.open(env.stock_path(args)) as stock:
        env.follow_drives(stock)
        with env.progress(args) as progress:
            found = look_into_bins(stock, env.data_home(), progress, older_than=args.there_for)
    env.answer(args, BinAnswer(found, env.top(args, _TOP_ON_TERMINAL)))
    return env.tell_problems(args, found.problems)
