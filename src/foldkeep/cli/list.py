"""List files that are known: the large, the old, the empty, whatever fits the filters.

The answer rests on the last scan, so it also tells of drives that are away. A
docket of the files can be written, and goes through the same door as any other:
`fold --method move --into DIR` takes them to another drive.
"""

import argparse
import json
from typing import TYPE_CHECKING

from .environment import Environment, ExitStatus
from .filters import add_filters, filter_words, wanted
from .stock_or_inventory import add_inventory, open_source

if TYPE_CHECKING:
    from collections.abc import Iterable

    from foldkeep.model import Filter, StockFile
    from foldkeep.stock import Stock

EXAMPLES = """\
examples:
  foldkeep list --sort size --kind packed --older-than 1y
  foldkeep list --under ~/Videos --larger-than 2GB -o docket.csv
  foldkeep list --name '*.wav' -0 | xargs -0 ls -l
"""

_TOP_ON_TERMINAL = 40


def arrange(parser: argparse.ArgumentParser) -> None:
    """Declare the arguments."""
    parser.add_argument(
        "--sort", default="path", metavar="BY", help="size (largest first), age (oldest first), name or path (default)"
    )
    parser.add_argument(
        "--top", type=int, metavar="N", help=f"list only the first N (on a terminal {_TOP_ON_TERMINAL}, else all)"
    )
    parser.add_argument("--empty", action="store_true", help="only empty files, and empty folders after them")
    parser.add_argument("-0", dest="null", action="store_true", help="paths only, with a NUL byte after each")
    parser.add_argument("-o", dest="docket", metavar="DOCKET", help="write a docket that proposes to fold them all")
    add_inventory(parser)
    add_filters(parser)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """List, in the form that is asked for."""
    from dataclasses import replace

    from foldkeep.find.space import empty_folders
    from foldkeep.model import UnusableInput
    from foldkeep.show import Page, show_empty_folders, show_files, show_listed
    from foldkeep.stock import LIST_ORDERS

    if args.sort not in LIST_ORDERS:
        raise UnusableInput(f"files cannot be sorted by {args.sort}", f"there are {', '.join(LIST_ORDERS)}")
    fits = wanted(args)
    if args.empty:
        fits = replace(fits, smaller_than=1)
    top = env.top(args, _TOP_ON_TERMINAL)
    with open_source(args, env) as stock:
        if args.docket:
            return _write_docket(args, env, stock, fits)
        if args.null:
            for file in stock.listing.files(fits, args.sort, args.top):
                env.write_bytes(file.path + b"\0")
            return ExitStatus.DONE
        count, size = stock.listing.count(fits)
        files = stock.listing.files(fits, args.sort, top)
        folders = empty_folders(stock, fits) if args.empty else []
        if args.json:
            _write_json(env, files, folders, count, size)
        elif not args.quiet:
            page: Page = env.page(args)
            show_files(page, files)
            show_listed(page, count if top is None else min(top, count), count, size)
            if folders:
                show_empty_folders(page, folders)
    return ExitStatus.DONE


def _write_json(env: Environment, files: "Iterable[StockFile]", folders: list[bytes], count: int, size: int) -> None:
    """Write one document, file by file: there may be millions."""
    from foldkeep.show import listed_document, path_document

    env.stdout.write('{"command": "list", "files": [')
    for number, file in enumerate(files):
        env.stdout.write(("," if number else "") + "\n  " + json.dumps(listed_document(file)))
    rest = {"folders": [path_document(folder) for folder in folders], "totals": {"files": count, "bytes": size}}
    env.stdout.write("],\n " + json.dumps(rest)[1:] + "\n")


def _write_docket(args: argparse.Namespace, env: Environment, stock: "Stock", fits: "Filter") -> ExitStatus:
    from foldkeep.keep import listed_rows, write_docket
    from foldkeep.show import Page, show_listed_docket

    count, size = stock.listing.count(fits)
    count = count if args.top is None else min(max(0, args.top), count)
    reason = f"listed {filter_words(args)}".strip()
    written = write_docket(args.docket, listed_rows(stock.listing.files(fits, args.sort, args.top), reason))
    document = {"command": "list", "docket": written, "totals": {"files": count, "bytes": size}}

    def draw(page: Page) -> None:
        show_listed_docket(page, count, written)

    env.answer(args, document, draw)
    return ExitStatus.DONE
