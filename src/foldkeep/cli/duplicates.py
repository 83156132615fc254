"""List the sets of files that have the same content, largest saving first.

The answer rests on the last scan. Hard links to one file are one file, empty
files form no set, and a copy in a place of another role is no spare.
"""

import argparse

from .environment import Environment, ExitStatus

EXAMPLES = """\
examples:
  foldkeep duplicates
  foldkeep duplicates --top 5
  foldkeep duplicates --json > sets.json
"""

_TOP_ON_TERMINAL = 20


def arrange(parser: argparse.ArgumentParser) -> None:
    """Declare the arguments."""
    parser.add_argument(
        "--top",
        type=int,
        metavar="N",
        help=f"list only the first N sets (on a terminal {_TOP_ON_TERMINAL}, in a pipe all)",
    )
    parser.add_argument("--across", action="store_true", help="compare all places as one, whatever their role")


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Find the sets and list them."""
    from foldkeep.find import Totals, by_saving, duplicates, totals_by_kind
    from foldkeep.show import set_document, show_duplicates, totals_document
    from foldkeep.stock import Stock

    with Stock.open(env.stock_path(args)) as stock:
        sets = by_saving(duplicates(stock, across=args.across))
    top = args.top
    if top is None and env.stdout.isatty():
        top = _TOP_ON_TERMINAL
    kinds = totals_by_kind(sets)
    document = {
        "command": "duplicates",
        "sets": [set_document(found) for found in sets[: args.top]] if args.json else [],
        "totals": totals_document(Totals.of(kinds.values())),
        "kinds": {kind: totals_document(totals) for kind, totals in kinds.items()},
    }
    env.answer(args, document, lambda page: show_duplicates(page, sets, kinds, top))
    return ExitStatus.DONE
