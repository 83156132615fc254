"""Remember another program's catalogue, playlist or timeline, and check it.

It is read, never written. Lists, CSV, JSON, JSON Lines, M3U, PLS, XSPF, XMP
sidecars of a folder, OpenTimelineIO, CMX 3600 and SQLite (by a query of yours)
are understood. `check` tells which of its entries have a file in the stock.
"""

import argparse
from typing import TYPE_CHECKING

from ..environment import Environment, ExitStatus
from ..options import READING, Option, Takes, catalog_of, named_catalogs

if TYPE_CHECKING:
    from foldkeep.stock import Stock

EXAMPLES = """\
examples:
  foldkeep catalog add stage lists/stage.m3u8
  foldkeep catalog add stills photos.db --query 'select path from photos'
  foldkeep catalog check stage
"""


OPTIONS = (
    Option("what", "what to do", Takes.WORD, choices=("add", "list", "check", "forget")),
    Option("name", "its name here; for check, also a SOURCE", Takes.CATALOG, "NAME", optional=True),
    Option(
        "source",
        "to add: a file, a folder with sidecars, or FORM:FILE",
        Takes.FILE,
        "SOURCE",
        several=True,
        optional=True,
    ),
    *READING,
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Add, list, check or forget."""
    from foldkeep.model import UnusableInput
    from foldkeep.stock import Stock

    if args.what != "list" and not args.name:
        raise UnusableInput("no catalogue is named", f"name one: foldkeep catalog {args.what} NAME")
    with Stock.open(env.stock_path(args)) as stock:
        if args.what == "check":
            return _check(args, env, stock)
        if args.what != "list":
            with stock.hold("catalog"), stock.transaction():
                (_add if args.what == "add" else _forget)(args, stock)
        return _list(args, env, stock)


def _add(args: argparse.Namespace, stock: "Stock") -> None:
    from foldkeep.find.catalogs import known_files
    from foldkeep.model import UnusableInput

    if not args.source:
        raise UnusableInput("no source is named", f"name one: foldkeep catalog add {args.name} FILE")
    catalog = catalog_of(args, args.name, args.source)
    known_files(stock, [catalog])  # refuses what cannot be read or matches nothing
    stock.catalogs.put(catalog)


def _forget(args: argparse.Namespace, stock: "Stock") -> None:
    from foldkeep.model import UnusableInput, visible

    if not stock.catalogs.forget(args.name):
        raise UnusableInput(f"no catalogue is called {visible(args.name)}", "see foldkeep catalog list")


def _list(args: argparse.Namespace, env: Environment, stock: "Stock") -> ExitStatus:
    from foldkeep.show.answers.catalog import CatalogsAnswer

    env.answer(args, CatalogsAnswer(stock.catalogs.all()))
    return ExitStatus.DONE


def _check(args: argparse.Namespace, env: Environment, stock: "Stock") -> ExitStatus:
    from foldkeep.find.catalogs import folders_of, known_files
    from foldkeep.show.answers.catalog import KnownAnswer

    known = known_files(stock, named_catalogs(args, stock, [args.name]))
    env.answer(args, KnownAnswer(known, folders_of(stock, known)))
    return ExitStatus.PROBLEMS if known.missing else ExitStatus.DONE
