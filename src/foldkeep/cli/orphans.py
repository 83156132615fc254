"""Find what a catalogue has lost track of, and what is left over on the disk.

Four findings: files under its folders that it does not know (those whose content
is nowhere else come first, and are never proposed for folding unless you ask),
entries without a file and where that lies now, sidecars, previews and desktop
thumbnails whose master is gone, and what it knows twice. The catalogue itself is
only read.
"""

import argparse

from .catalogs import add_reading, named_catalogs
from .environment import Environment, ExitStatus
from .filters import add_filters, wanted

EXAMPLES = """\
examples:
  foldkeep orphans --catalog stills
  foldkeep orphans --catalog photos.csv --under ~/Pictures -o docket.csv
  foldkeep orphans --catalog stills --adopt import-again.txt
"""

_TOP_ON_TERMINAL = 8


def arrange(parser: argparse.ArgumentParser) -> None:
    """Declare the arguments."""
    parser.add_argument(
        "--catalog", action="append", default=[], metavar="NAME|SOURCE", help="a remembered one, or where one lies"
    )
    parser.add_argument("-o", dest="docket", metavar="DOCKET", help="write a docket of what is not known or left over")
    parser.add_argument("--sole-copies", action="store_true", help="also propose to fold what lies nowhere else")
    parser.add_argument(
        "--adopt", metavar="FILE", help="write a list of the files that lie nowhere else, to import them"
    )
    parser.add_argument(
        "--repair", metavar="FILE", help="write a corrected copy of the catalogue: paths mended, missing ones dropped"
    )
    parser.add_argument(
        "--top", type=int, metavar="N", help=f"list the first N of each (on a terminal {_TOP_ON_TERMINAL}, else all)"
    )
    add_reading(parser)
    add_filters(parser)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Match, compare, tell, write."""
    from foldkeep.find.catalogs import known_files, mended, orphans
    from foldkeep.formats.catalogs import write_repaired
    from foldkeep.formats.own import new_file
    from foldkeep.keep import orphan_rows, write_docket
    from foldkeep.model import UnusableInput
    from foldkeep.show import Page, orphans_document, show_orphans
    from foldkeep.stock import Stock

    if not args.catalog:
        raise UnusableInput("no catalogue is named", "name one: --catalog NAME, or where it lies")
    with Stock.open(env.stock_path(args)) as stock:
        catalogs = named_catalogs(args, stock, args.catalog)
        sources = [source for catalog in catalogs for source in catalog.sources]
        if args.repair and len(sources) > 1:
            raise UnusableInput("--repair corrects one file at a time", "name one --catalog with one source")
        found = orphans(stock, known_files(stock, catalogs), wanted(args), env.thumbnails())
        places = [place.path for place in stock.places.all()]
    written = {}
    if args.repair:
        written["repair"] = write_repaired(sources[0], mended(found, sources[0]), args.repair)
    if args.docket:
        written["docket"] = write_docket(args.docket, orphan_rows(found, places, sole_copies=args.sole_copies))
    if args.adopt:
        with new_file(args.adopt) as (written["adopt"], stream):
            sole = [each.file.path for each in found.unknown if each.is_sole]
            stream.writelines(path + (b"\0" if any(b"\n" in name for name in sole) else b"\n") for path in sole)
    top = env.top(args, _TOP_ON_TERMINAL)

    def draw(page: Page) -> None:
        show_orphans(page, found, top, written)

    env.answer(args, {"command": "orphans", **orphans_document(found), **written}, draw)
    return ExitStatus.DONE
