"""Show where the space goes: how full each volume is, and what fills it.

Name a folder to look into it, or a place. What hard links and clones share is
counted once "on disk", and the holes of sparse files are not; where that makes
a difference, a column tells.
"""

import argparse
from typing import TYPE_CHECKING

from ..environment import Environment, ExitStatus
from ..options import CONFIG, FILTERS, INVENTORY, Option, Takes, open_source, wanted

if TYPE_CHECKING:
    from collections.abc import Mapping

    from foldkeep.model import Filter
    from foldkeep.show.answers import Answer
    from foldkeep.stock import Stock

EXAMPLES = """\
examples:
  foldkeep space ~/Videos --depth 2
  foldkeep space --by kind --older-than 2y
  foldkeep space --treemap map.png --largest 10
"""

_TOP_ON_TERMINAL = 25
_LARGEST = 10


OPTIONS = (
    Option("where", "look only there (else in all places)", Takes.PLACE, "PLACE|FOLDER", optional=True),
    Option(
        "--by", "folder (default), kind, suffix, age, year, place, volume, owner", Takes.WORD, "WHAT", default="folder"
    ),
    Option("--depth", "by folder: how many levels (default: 1)", Takes.NUMBER, "N", default=1, least=1),
    Option("--largest", "list the N largest files as well", Takes.NUMBER, "N", default=0),
    Option.top(f"only the first N rows (on a terminal {_TOP_ON_TERMINAL}, else all)"),
    Option("--treemap", "draw a map of the space, as .png or .svg", Takes.FILE, "FILE"),
    Option("--plot", "draw the rows as bars, as .png or .svg", Takes.FILE, "FILE"),
    *INVENTORY,
    CONFIG,
    *FILTERS,
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Sum up, tell, draw."""
    from foldkeep.find.coverage import look_into_bins
    from foldkeep.find.space import GROUPINGS, server_spaces, space, volume_spaces
    from foldkeep.model import UnusableInput
    from foldkeep.show.answers.space import SpaceAnswer

    if args.by not in GROUPINGS:
        raise UnusableInput(f"space cannot be told by {args.by}", f"there are {', '.join(GROUPINGS)}")
    with open_source(args, env) as stock:
        fits = _where(args, stock)
        env.tell_half_scanned(args, stock)
        volumes = [] if args.inventory else volume_spaces(stock)
        servers = [] if args.inventory else server_spaces(stock)
        usage = space(stock, args.by, fits, depth=max(1, args.depth))
        bins = None if args.inventory or args.where else look_into_bins(stock, env.data_home(), reads=False)
        largest = list(stock.listing.files(fits, "size", args.largest)) if args.largest > 0 else []
        written = _draw(args, stock, fits, env.settings(args).settings.colors)
        top = env.top(args, _TOP_ON_TERMINAL)
        answer: Answer = SpaceAnswer(usage, args.by, volumes, largest, top, written, bins, servers)
        if not (args.inventory or args.where):
            answer = env.with_user_cache(answer, stock)
    env.answer(args, answer)
    return ExitStatus.DONE


def _where(args: argparse.Namespace, stock: "Stock") -> "Filter":
    """Return the filter with the place or folder that is named, which must be one that is known."""

    from foldkeep.scan import check_filter, named_folder

    fits = check_filter(stock, wanted(args))
    return fits._replace(under=(named_folder(stock, args.where),)) if args.where else fits


def _draw(args: argparse.Namespace, stock: "Stock", fits: "Filter", colors: "Mapping[str, str]") -> list[str]:
    """Draw what is asked for and return where it is."""
    written: list[str] = []
    if args.treemap:
        from foldkeep.find.space import space_tree
        from foldkeep.show.pictures import draw_treemap

        by = "age" if args.by in ("age", "year") else "kind"
        written.append(draw_treemap(args.treemap, space_tree(stock, fits, by), by, colors))
    if args.plot:
        from foldkeep.find.space import space
        from foldkeep.show.pictures import draw_usage

        written.append(draw_usage(args.plot, space(stock, args.by, fits), args.by, colors))
    return written
