"""Find what programs made and can make again: renders, proxies, previews, caches.

A file counts only by evidence: its folder has a CACHEDIR.TAG, or a recipe takes
it and what it was made from is still there. A proxy whose original is gone is
the last there is of that picture; such files are listed apart. Nothing is
changed by this command.
"""

import argparse

from .environment import Environment, ExitStatus
from .filters import add_filters, wanted

EXAMPLES = """\
examples:
  foldkeep caches
  foldkeep caches --under ~/Videos --older-than 6m
  foldkeep caches --explain ~/Videos/edit/proxies/clip_proxy.mp4
"""

_TOP_ON_TERMINAL = 8


def arrange(parser: argparse.ArgumentParser) -> None:
    """Declare the arguments."""
    parser.add_argument("--what", action="append", default=[], metavar="WORD", help="only proxy, render, waveform, …")
    parser.add_argument("--recipes", metavar="FILE", help="recipes of yours, asked before the general ones")
    parser.add_argument("--explain", metavar="FILE", help="tell which recipe takes a file and why, or why none does")
    parser.add_argument(
        "--top", type=int, metavar="N", help=f"list the first N of each (on a terminal {_TOP_ON_TERMINAL}, else all)"
    )
    add_filters(parser)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Find and tell."""
    from foldkeep.find import caches, explain_cache
    from foldkeep.formats import general_recipes, read_recipes, with_general
    from foldkeep.model import WHATS, UnusableInput, visible
    from foldkeep.show import caches_document, show_caches
    from foldkeep.stock import Stock

    unknown = [word for word in args.what if word not in WHATS]
    if unknown:
        raise UnusableInput(f"--what {visible(unknown[0])} is none of them", f"write one of {', '.join(WHATS)}")
    recipes = with_general(read_recipes(args.recipes)) if args.recipes else general_recipes()
    with Stock.open(env.stock_path(args)) as stock:
        if args.explain:
            why = explain_cache(stock, recipes, args.explain)
            env.answer(args, {"command": "caches", "explain": why}, lambda page: page.line(why))
            return ExitStatus.DONE
        found = caches(stock, recipes, wanted(args), frozenset(args.what))
    top = env.top(args, _TOP_ON_TERMINAL)
    document = {"command": "caches", **(caches_document(found) if args.json else {})}
    env.answer(args, document, lambda page: show_caches(page, found, top))
    return ExitStatus.DONE
