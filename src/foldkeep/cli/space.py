"""Tell where the space goes: how full each volume is, then which folders or kinds fill it.

Name a folder to look into it, or a place. What hard links and clones share is
counted once "on disk", and the holes of sparse files are not; where that makes
a difference, a column tells.
"""

import argparse
from typing import TYPE_CHECKING

from .environment import Environment, ExitStatus
from .filters import add_filters, wanted
from .stock_or_inventory import add_inventory, open_source

if TYPE_CHECKING:
    from foldkeep.model import Filter
    from foldkeep.stock import Stock

EXAMPLES = """\
examples:
  foldkeep space ~/Videos --depth 2
  foldkeep space --by kind --older-than 2y
  foldkeep space --treemap map.png --largest 10
"""

_TOP_ON_TERMINAL = 25
_LARGEST = 10


def arrange(parser: argparse.ArgumentParser) -> None:
    """Declare the arguments."""
    parser.add_argument("where", nargs="?", metavar="PLACE|FOLDER", help="look only there (else in all places)")
    parser.add_argument(
        "--by", default="folder", metavar="WHAT", help="folder (default), kind, suffix, age, year, place, volume, owner"
    )
    parser.add_argument("--depth", type=int, default=1, metavar="N", help="by folder: how many levels (default: 1)")
    parser.add_argument("--largest", type=int, default=0, metavar="N", help="list the N largest files as well")
    parser.add_argument(
        "--top", type=int, metavar="N", help=f"only the first N rows (on a terminal {_TOP_ON_TERMINAL}, else all)"
    )
    parser.add_argument("--treemap", metavar="FILE", help="draw a map of the space, as .png or .svg")
    parser.add_argument("--plot", metavar="FILE", help="draw the rows as bars, as .png or .svg")
    add_inventory(parser)
    add_filters(parser)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Sum up, tell, draw."""
    from foldkeep.find.space import GROUPINGS, space, volume_spaces
    from foldkeep.model import UnusableInput
    from foldkeep.show import Page, show_files, show_usage, show_volumes, usage_document

    if args.by not in GROUPINGS:
        raise UnusableInput(f"space cannot be told by {args.by}", f"there are {', '.join(GROUPINGS)}")
    with open_source(args, env) as stock:
        fits = _where(args, stock)
        volumes = [] if args.inventory else volume_spaces(stock)
        usage = space(stock, args.by, fits, depth=max(1, args.depth))
        largest = list(stock.listing.files(fits, "size", args.largest)) if args.largest > 0 else []
        written = _draw(args, stock, fits)
    top = env.top(args, _TOP_ON_TERMINAL)

    def draw(page: Page) -> None:
        show_volumes(page, volumes)
        if volumes:
            page.line()
        show_usage(page, usage, args.by, top)
        if largest:
            page.heading("Largest files")
            show_files(page, largest)
        for path in written:
            page.line(f"Drawn: {path}")

    env.answer(args, {"command": "space", **usage_document(usage, args.by, volumes, largest), "drawn": written}, draw)
    return ExitStatus.DONE


def _where(args: argparse.Namespace, stock: "Stock") -> "Filter":
    """Return the filter with the place or folder that is named, which must be one that is known."""
    from dataclasses import replace

    from foldkeep.scan import named_folder

    fits = wanted(args)
    return replace(fits, under=(named_folder(stock, args.where),)) if args.where else fits


def _draw(args: argparse.Namespace, stock: "Stock", fits: "Filter") -> list[str]:
    """Draw what is asked for and return where it is."""
    written: list[str] = []
    if args.treemap:
        from foldkeep.find.space import space_tree
        from foldkeep.show import draw_treemap

        by = "age" if args.by in ("age", "year") else "kind"
        written.append(draw_treemap(args.treemap, space_tree(stock, fits, by), by))
    if args.plot:
        from foldkeep.find.space import space
        from foldkeep.show import draw_usage

        written.append(draw_usage(args.plot, space(stock, args.by, fits), args.by))
    return written
