"""Show what lies once only, what on a second disk; and whether a card may be formatted.

Without a folder: every content that is known, by the disks that it lies on.
Copies on one disk are no safer than one. A package counts as the disk it lies
on, an inventory as the drive that it is of; folds and bins do not count.

With a folder (a card, a stick, a drive; it need not be a place): is all of it
on another disk too? Every file is read, and so is its counterpart, now and
from the drive; names tell nothing. The exit status is 0 only if all of it was
found where it was asked to be. -o writes a docket of what is missing; then
`foldkeep fold DOCKET --method copy --to DIR` copies that, and reads it back.
"""

import argparse
from typing import TYPE_CHECKING

from ..environment import Environment, ExitStatus
from ..options import CONFIG, FILTERS, INVENTORY, Option, Takes, open_source, wanted
from ..options.stock_or_inventory import inventories_here

if TYPE_CHECKING:
    from foldkeep.find.coverage import Coverage, Demand
    from foldkeep.stock import Stock

EXAMPLES = """\
examples:
  foldkeep coverage --fewer-than 2 --kind photo --csv once.csv
  foldkeep coverage --fewer-than 1 --on backup -o missing.csv
  foldkeep coverage /media/card && echo "it may be formatted"
"""

_TOP_ON_TERMINAL = 20


OPTIONS = (
    Option("folder", "is all of this folder on another disk too?", Takes.FOLDER, "FOLDER", optional=True),
    Option("--fewer-than", "list contents that lie on fewer than N disks", Takes.NUMBER, "N"),
    Option("--at-least", "list those on N or more; of a folder: ask for N other disks", Takes.NUMBER, "N"),
    Option("--on", "only what lies there counts", Takes.PLACE, "ROLE|PLACE|VOLUME", several=True),
    Option("--with-inventory", "count what this inventory has as well", Takes.INVENTORY, "FILE", several=True),
    Option("--trust-stock", "of a folder: a quick look that reads nothing elsewhere and proves nothing", rare=True),
    Option("-o", "write a docket that copies what is missing", Takes.DOCKET, "DOCKET", to="docket"),
    Option("--csv", "also write all that is listed to a CSV table", Takes.FILE, "FILE"),
    Option("--plot", "draw how safe each kind and place is, as .png or .svg", Takes.FILE, "FILE"),
    Option.top(f"list the first N (on a terminal {_TOP_ON_TERMINAL}, else all)"),
    *INVENTORY,
    CONFIG,
    *FILTERS,
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Count or look, tell, write."""
    from foldkeep.find.coverage import Demand
    from foldkeep.model import UnusableInput
    from foldkeep.stock import Stock

    for name, least in (("fewer_than", 1), ("at_least", 1)):
        if (number := getattr(args, name)) is not None and number < least:
            option = "--" + name.replace("_", "-")
            raise UnusableInput(f"{option} {number} cannot be meant", f"name a number from {least} on")
    demand = Demand(args.fewer_than, args.at_least, tuple(args.on))
    if args.inventory:
        if args.folder is not None or args.docket:
            raise UnusableInput(
                "inventories tell where contents lie, and nothing can be read or copied there",
                "leave out the folder and -o; to count an inventory besides the stock: --with-inventory",
            )
        with open_source(args, env) as stock:
            return _overview(args, env, stock, demand)
    with (
        Stock.open(env.stock_path(args)) as stock,
        inventories_here(args, env, args.with_inventory) as args.with_inventory,
        env.servers(stock),
    ):
        env.tell_half_scanned(args, stock)
        return _card(args, env, stock, demand) if args.folder is not None else _overview(args, env, stock, demand)


def _overview(args: argparse.Namespace, env: Environment, stock: "Stock", demand: "Demand") -> ExitStatus:

    from foldkeep.find.coverage import coverage, whereabouts
    from foldkeep.model import UnusableInput
    from foldkeep.scan import check_filter
    from foldkeep.show.answers.coverage import COVERAGE_COLUMNS, CoverageAnswer, coverage_table

    if args.trust_stock:
        raise UnusableInput("--trust-stock is for a folder", "name one, or leave it out: the stock tells the rest")
    if demand.on and not demand.lists:
        demand = demand._replace(fewer_than=1)  # what is not there is what people fear
    if (args.docket or args.csv) and not demand.lists:
        raise UnusableInput("a list goes into a docket or table", "say which: --fewer-than 2, or --on backup")
    if args.docket and demand.fewer_than is None:
        raise UnusableInput("a docket copies what lies on too few volumes", "say --fewer-than N")
    top = env.top(args, _TOP_ON_TERMINAL)
    most = None if args.docket or args.csv else top
    found = coverage(stock, check_filter(stock, wanted(args)), demand, args.with_inventory, most)
    shown = whereabouts(stock, found, found.listed[:top])
    written = _written(args, stock, found)
    if args.csv:
        env.write_table(args.csv, COVERAGE_COLUMNS, coverage_table(whereabouts(stock, found, found.listed)))
    env.answer(args, CoverageAnswer(found, demand, stock.places.by_id(), shown, top, written))
    return ExitStatus.DONE


def _written(args: argparse.Namespace, stock: "Stock", found: "Coverage") -> dict[str, str]:
    """Write what is asked for and return where it is."""
    written: dict[str, str] = {}
    if args.docket:
        from foldkeep.find.coverage import whereabouts
        from foldkeep.keep import write_docket
        from foldkeep.keep.dockets import coverage_rows

        written["docket"] = write_docket(args.docket, coverage_rows(whereabouts(stock, found, found.listed)))
    if args.plot:
        from foldkeep.show.pictures import draw_coverage

        labels = {number: place.label for number, place in stock.places.by_id().items()}
        written["drawn"] = draw_coverage(args.plot, found, labels)
    return written


def _card(args: argparse.Namespace, env: Environment, stock: "Stock", demand: "Demand") -> ExitStatus:
    import os

    from foldkeep.find.coverage import cover_card
    from foldkeep.keep import write_docket
    from foldkeep.keep.dockets import card_rows
    from foldkeep.model import UnusableInput, visible
    from foldkeep.model.names import lies_in_a_fold
    from foldkeep.show.answers.coverage import CardCoverageAnswer
    from foldkeep.storage.local.drives import real_path

    if demand.fewer_than is not None or args.csv or args.plot or wanted(args):
        raise UnusableInput(
            "of a folder every file is asked for", "leave out --fewer-than, --csv, --plot and the filters"
        )
    folder = real_path(os.fsencode(args.folder))
    if not os.path.isdir(folder) or lies_in_a_fold(folder):
        raise UnusableInput(f"{visible(args.folder)} is no folder that is here", "name a card or folder outside folds")
    env.follow_drives(stock)
    with env.progress(args) as progress:
        found = cover_card(
            stock, folder, env.settings(args).settings, progress, at_least=demand.at_least or 1, on=demand.on,
            trusts_stock=args.trust_stock, inventories=args.with_inventory,
        )  # fmt: skip
    written = write_docket(args.docket, card_rows(found)) if args.docket else None
    env.answer(args, CardCoverageAnswer(found, demand, env.top(args, _TOP_ON_TERMINAL), written))
    env.tell_problems(args, found.problems)
    return ExitStatus.DONE if found.is_safe else ExitStatus.PROBLEMS
