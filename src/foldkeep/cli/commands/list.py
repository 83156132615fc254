"""List known files: the large, the old, the empty, whatever the filters say.

The answer rests on the last scan, so it also tells of drives that are away. A
docket of the files can be written, and goes through the same door as any other:
`fold --method move --to DIR` takes them to another drive.
"""

import argparse
from typing import TYPE_CHECKING

from ..environment import Environment, ExitStatus
from ..options import FILTERS, INVENTORY, Option, Takes, filter_words, open_source, wanted

if TYPE_CHECKING:
    from foldkeep.model import Filter
    from foldkeep.stock import Stock

EXAMPLES = """\
examples:
  foldkeep list --sort size --kind packed --older-than 1y
  foldkeep list --under ~/Videos --larger-than 2GB -o docket.csv
  foldkeep list --name '*.wav' -0 | xargs -0 ls -l
"""

_TOP_ON_TERMINAL = 40


OPTIONS = (
    Option(
        "--sort", "size (largest first), age (oldest first), name or path (default)", Takes.WORD, "BY", default="path"
    ),
    Option.top(f"list only the first N (on a terminal {_TOP_ON_TERMINAL}, else all)"),
    Option("--empty", "only empty files, then empty folders"),
    Option(
        "--damaged",
        "only damaged files, with what is wrong: empty, cut off, zero-filled, wrong format (known after"
        " scan --check-media, show or sheet)",
    ),
    Option("-0", "print only paths, each followed by a NUL byte", to="null", rare=True),
    Option("-o", "write a docket that proposes to fold them all", Takes.DOCKET, "DOCKET", to="docket"),
    *INVENTORY,
    *FILTERS,
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """List, in the form that is asked for."""

    from foldkeep.find.space import empty_folders
    from foldkeep.model import Step, UnusableInput
    from foldkeep.scan import check_filter
    from foldkeep.show.answers.list import ListAnswer
    from foldkeep.stock import LIST_ORDERS

    if args.sort not in LIST_ORDERS:
        raise UnusableInput(f"files cannot be sorted by {args.sort}", f"there are {', '.join(LIST_ORDERS)}")
    fits = wanted(args)
    if args.empty:
        fits = fits._replace(smaller_than=1)
    if args.damaged:
        fits = fits._replace(damaged=True)
    top = env.top(args, _TOP_ON_TERMINAL)
    with open_source(args, env) as stock:
        check_filter(stock, fits)
        env.tell_half_scanned(args, stock)
        if args.docket:
            return _write_docket(args, env, stock, fits)
        if args.null:
            for file in stock.listing.files(fits, args.sort, args.top):
                env.write_bytes(file.path + b"\0")
            return ExitStatus.DONE
        with env.progress(args) as progress:
            progress(Step("Looking at files", 0, None, "files"))
            found = stock.listing.count(fits)
            files = stock.listing.files(fits, args.sort, top)
        folders = empty_folders(stock, fits) if args.empty else []
        damage = stock.signals.damage() if args.damaged else None
        env.answer(args, ListAnswer(files, folders, found.files, found.names, found.size, top, damage))
    return ExitStatus.DONE


def _write_docket(args: argparse.Namespace, env: Environment, stock: "Stock", fits: "Filter") -> ExitStatus:
    from foldkeep.keep import leaving_aside, write_docket
    from foldkeep.keep.dockets import listed_rows
    from foldkeep.model.work import told
    from foldkeep.show.answers.list import ListedDocketAnswer

    found = stock.listing.count(fits)
    names = found.names if args.top is None else min(max(0, args.top), found.names)
    reason = f"listed {filter_words(args)}".strip()
    damage = stock.signals.damage() if args.damaged else None
    rows = listed_rows(stock.listing.files(fits, args.sort, args.top), reason, damage)
    with env.progress(args) as progress:
        rows = told(leaving_aside(rows, stock.places.all(), fits.roles), "Writing the docket", names, "files", progress)
        written = write_docket(args.docket, rows)
    env.answer(args, ListedDocketAnswer(written, names, found.size))
    return ExitStatus.DONE
