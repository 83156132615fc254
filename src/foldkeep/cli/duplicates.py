"""List the sets of files that have the same content, largest saving first.

The answer rests on the last scan. Hard links to one file are one file, empty
files form no set, and a copy in a place of another role is no spare: the set
is shown as backed up. With filters, sets are listed of which a copy fits.
"""

import argparse
from typing import TYPE_CHECKING

from .environment import Environment, ExitStatus
from .filters import add_filters, wanted
from .stock_or_inventory import add_inventory, open_source

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator

    from foldkeep.find.copies import Question
    from foldkeep.model import CopySet
    from foldkeep.stock import Stock

EXAMPLES = """\
examples:
  foldkeep duplicates --top 5 --kind video
  foldkeep duplicates --folders
  foldkeep duplicates --json > sets.json
"""

_TOP_ON_TERMINAL = 20
_ORDER_WORDS = {
    "saving": "largest saving first",
    "size": "largest files first",
    "count": "most copies first",
    "name": "in order of name",
}
_CSV_COLUMNS = ("set", "kind", "size", "copies", "can_come_free", "path", "place", "modified", "digest", "uri")


def arrange(parser: argparse.ArgumentParser) -> None:
    """Declare the arguments."""
    parser.add_argument(
        "--top",
        type=int,
        metavar="N",
        help=f"list only the first N (on a terminal {_TOP_ON_TERMINAL}, in a pipe all)",
    )
    parser.add_argument("--sort", default="saving", metavar="BY", help="saving (the default), size, count or name")
    parser.add_argument("--details", action="store_true", help="dates and owner of each copy, and odd contents")
    parser.add_argument("--folders", action="store_true", help="compare whole folders instead of files")
    parser.add_argument("--same-names", action="store_true", help="with --folders: names must agree as well")
    parser.add_argument(
        "--share",
        type=int,
        default=50,
        metavar="PERCENT",
        help="with --folders: list overlaps from this part of a folder on (default: 50)",
    )
    parser.add_argument("--across", action="store_true", help="compare all places as one, whatever their role")
    parser.add_argument(
        "--match",
        default="content",
        metavar="WHAT",
        help="what copies agree in: content (the default), name, size, modified, or several with commas between; "
        "without content for looking only",
    )
    parser.add_argument("--csv", metavar="FILE", help="write every set to a table as well")
    add_inventory(parser)
    add_filters(parser)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Find the sets, or the pairs of folders, and list them."""
    from foldkeep.find.copies import Question

    question = Question(args.across, frozenset(args.match.split(",")), args.sort, wanted(args))
    with open_source(args, env) as stock:
        return (_folders if args.folders else _sets)(args, env, stock, question)


def _sets(args: argparse.Namespace, env: Environment, stock: "Stock", question: "Question") -> ExitStatus:
    from foldkeep.find.copies import duplicates
    from foldkeep.scan import presences
    from foldkeep.show import Page, overview_document, set_document, show_more_sets, show_overview, show_sets

    top = env.top(args, _TOP_ON_TERMINAL)
    answer = duplicates(stock, question)
    overview = answer.overview()
    here = presences(stock)
    document = {"command": "duplicates", **overview_document(overview)}
    if args.json:
        document["sets"] = [set_document(found) for found in answer.sets(top)]

    def draw(page: Page) -> None:
        show_overview(page, overview, here)
        if overview.totals.sets and top != 0:
            page.heading(f"Sets, {_ORDER_WORDS[question.sort]}")
            show_sets(page, answer.sets(top), here, proven="content" in question.match, details=args.details)
            show_more_sets(page, overview.totals.sets if top is None else top, overview.totals.sets)

    env.answer(args, document, draw)
    if args.csv:
        env.write_table(args.csv, _CSV_COLUMNS, _csv_rows(answer.sets()))
    return ExitStatus.DONE


def _csv_rows(sets: "Iterable[CopySet]") -> "Iterator[list[str]]":
    from foldkeep.model import visible
    from foldkeep.model.files import format_digest
    from foldkeep.model.names import file_uri
    from foldkeep.model.units import format_moment

    for found in sets:
        shared = [found.id, found.kind, str(found.size), str(len(found.copies)), str(found.reclaimable)]
        for copy in found.copies:
            yield [
                *shared,
                visible(copy.path),
                copy.place.label,
                format_moment(copy.modified_ns),
                format_digest(copy.digest) if copy.digest else "",
                file_uri(copy.path),
            ]


def _folders(args: argparse.Namespace, env: Environment, stock: "Stock", question: "Question") -> ExitStatus:
    from foldkeep.find.copies import compare_folders
    from foldkeep.show import match_document, show_folder_matches

    matches = compare_folders(stock, question, same_names=args.same_names, least_share=args.share / 100)
    top = env.top(args, _TOP_ON_TERMINAL)
    document = {"command": "duplicates", "folders": [match_document(match) for match in matches[:top]]}
    env.answer(args, document, lambda page: show_folder_matches(page, matches, top))
    return ExitStatus.DONE
