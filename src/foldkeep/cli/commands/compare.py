"""Compare two places, folders or inventories: what came, went, changed, moved.

Files are told apart by content where it is known on both sides, and by size and
date where it is not; the answer says which. What has the same content under
another path counts as moved or renamed. Inventories by columns, or globs of
inventories, are compared with each other whatever their size. Of an inventory of
several places only the one that the other side is, or lies in, is compared.
"""

import argparse
from contextlib import ExitStack
from typing import TYPE_CHECKING

from ..environment import Environment, ExitStatus
from ..options import FILTERS, Option, Takes, wanted
from ..options.stock_or_inventory import MEMORY, inventories_here

if TYPE_CHECKING:
    from foldkeep.find.compare import Comparison
    from foldkeep.stock import Stock

EXAMPLES = """\
examples:
  foldkeep compare shelf-drive.inventory shelf-drive
  foldkeep compare ~/Pictures /media/backup/Pictures --kind photo
  foldkeep compare 'monday/*.parquet' 'tuesday/*.parquet'
"""

_TOP_ON_TERMINAL = 10
_SIDE = "a place, a folder in one, an inventory, FILE:FOLDER for a folder in that, or a glob of inventories"


OPTIONS = (
    Option("first", _SIDE, Takes.PLACE, "FIRST"),
    Option("second", _SIDE, Takes.PLACE, "SECOND"),
    Option.top(f"list the first N of each (on a terminal {_TOP_ON_TERMINAL}, else all)"),
    Option("--csv", "also write every difference to a CSV table", Takes.FILE, "FILE"),
    MEMORY,
    *FILTERS,
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Open both sides, compare, tell."""
    from foldkeep.engine import SUFFIXES, compare_inventories, is_of_columns
    from foldkeep.find.compare import check_sides, compare, like_with_like, open_side
    from foldkeep.formats.columns import MEMORY_BYTES
    from foldkeep.stock import Stock

    with ExitStack() as opened:

        def stock() -> "Stock":
            return opened.enter_context(Stock.open(env.stock_path(args)))

        fits = wanted(args)
        for side in ("first", "second"):
            named = [getattr(args, side)]
            if named[0].endswith(SUFFIXES):  # of another address it is a place that is meant
                setattr(args, side, *opened.enter_context(inventories_here(args, env, named)))
        if is_of_columns(args.first) and is_of_columns(args.second):
            with env.progress(args) as progress:
                found = compare_inventories(args.first, args.second, fits, args.memory or MEMORY_BYTES, progress)
            return _tell(args, env, found)
        first, second = (open_side(stock, word, fits) for word in (args.first, args.second))
        check_sides(first, second, fits)
        found = compare(like_with_like(first, second), like_with_like(second, first))
    return _tell(args, env, found)


def _tell(args: argparse.Namespace, env: Environment, found: "Comparison") -> ExitStatus:
    from foldkeep.show.answers.compare import COMPARE_COLUMNS, ComparisonAnswer, comparison_rows

    env.answer(args, ComparisonAnswer(found, env.top(args, _TOP_ON_TERMINAL)))
    if args.csv:
        env.write_table(args.csv, COMPARE_COLUMNS, comparison_rows(found))
    return ExitStatus.DONE
