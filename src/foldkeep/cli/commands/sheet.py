"""Make a page of all sets with pictures, to look at and decide in any browser.

The page is one file, needs no network, and changes nothing: what you choose in
it is saved as a docket, which `fold` carries out. Without a docket, keepers are
proposed as `keep` would with your settings.
"""

import argparse
from typing import TYPE_CHECKING

from ..environment import Environment, ExitStatus
from ..options import CONFIG, FILTERS, Option, Takes, settings_projects, wanted

if TYPE_CHECKING:
    from foldkeep.model import DocketRow, Progress
    from foldkeep.stock import Stock

EXAMPLES = """\
examples:
  foldkeep sheet docket.csv
  foldkeep sheet --kind photo --under ~/Pictures -o pictures.html
  foldkeep sheet docket.csv --png first-page.png
"""


OPTIONS = (
    Option("docket", "the docket to show (else one is proposed)", Takes.DOCKET, "DOCKET", optional=True),
    Option("-o", "where to write the page (default: sheet.html)", Takes.FILE, "FILE", to="page"),
    Option("--png", "draw the first sets as one picture as well", Takes.FILE, "FILE"),
    CONFIG,
    *FILTERS,
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Look at every set, then write."""
    from foldkeep.keep import sheet_sets
    from foldkeep.model import UnusableInput
    from foldkeep.model.extras import need
    from foldkeep.show.answers.sheet import SheetAnswer
    from foldkeep.show.pictures import draw_sheet, write_sheet
    from foldkeep.signals import MediaReader
    from foldkeep.stock import Stock

    if args.docket and wanted(args):
        raise UnusableInput("a docket says itself which sets it has", "leave the filters or the docket out")
    need("media")
    need("charts")
    with Stock.open(env.stock_path(args)) as stock, MediaReader(stock) as reader, env.progress(args) as progress:
        rows = _rows(args, env, stock, progress)
        sets = list(sheet_sets(stock, reader, rows, progress))
    title = "Fold Keep: a sheet to decide on"
    where, size = write_sheet(args.page or "sheet.html", sets, title, args.docket or "proposed with your settings")
    picture = draw_sheet(args.png, sets, title) if args.png else None
    env.answer(args, SheetAnswer(where, size, len(sets), picture))
    return ExitStatus.DONE


def _rows(args: argparse.Namespace, env: Environment, stock: "Stock", progress: "Progress") -> "list[DocketRow]":
    """Return the rows of the docket that is named, or of one that is proposed."""
    from foldkeep.find.copies import Question
    from foldkeep.keep import Wishes, propose_for, read_choices
    from foldkeep.scan import check_filter

    if args.docket:
        return read_choices(args.docket)
    wishes = Wishes.after(env.settings(args).settings, wanted(args))
    check_filter(stock, wishes.wanted)
    projects = settings_projects(env.settings(args).settings, stock)
    return list(propose_for(stock, Question(), wishes, projects, stock.catalogs.all(), progress=progress))
