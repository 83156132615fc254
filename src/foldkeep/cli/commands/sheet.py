"""Make a page of all sets with pictures, to look at and decide in any browser.

The page is one file, needs no network, and changes nothing. Your browser saves
the decisions that you make on it as a docket among your downloads; `fold` carries
that one out. Without a name the newest docket that waits is shown; with filters,
or if none waits, keepers are proposed as `keep` does with your settings.
"""

import argparse
from typing import TYPE_CHECKING

from ..dockets import ChosenDocket, docket_in_use, register_of, tell_docket, tell_others, write_made
from ..environment import Environment, ExitStatus
from ..options import CONFIG, FILTERS, Option, Takes, settings_projects, wanted

if TYPE_CHECKING:
    from foldkeep.model import Progress
    from foldkeep.stock import Stock

EXAMPLES = """\
examples:
  foldkeep sheet
  foldkeep sheet --kind photo --under ~/Pictures -o pictures.html
  foldkeep sheet docket.csv --png first-page.png
"""


OPTIONS = (
    Option("docket", "a docket's number or file (else the newest that waits)", Takes.DOCKET, "DOCKET", optional=True),
    Option("-o", "where to write the page (default: sheet.html)", Takes.FILE, "FILE", to="page"),
    Option("--png", "draw the first sets as one picture as well", Takes.FILE, "FILE"),
    CONFIG,
    *FILTERS,
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Look at every set, then write."""
    from foldkeep.keep import read_choices, sheet_sets
    from foldkeep.keep.register import file_digest
    from foldkeep.model import UnusableInput
    from foldkeep.model.extras import need
    from foldkeep.show.answers.sheet import SheetAnswer
    from foldkeep.show.pictures import SheetOrigin, draw_sheet, write_sheet
    from foldkeep.signals import MediaReader
    from foldkeep.stock import Stock

    if args.docket and wanted(args):
        raise UnusableInput("a docket says itself which sets it has", "leave the filters or the docket out")
    need("media")
    need("charts")
    chosen = None if wanted(args) else docket_in_use(args, env)
    if chosen is not None:
        tell_docket(args, env, chosen)
    with Stock.open(env.stock_path(args)) as stock, MediaReader(stock) as reader, env.progress(args) as progress:
        if chosen is None:
            chosen = _proposed(args, env, stock, progress)
        rows = read_choices(chosen.path) if chosen.path else []
        sets = list(sheet_sets(stock, reader, rows, progress))
    title = "Fold Keep: a sheet to decide on"
    name = chosen.made.name if chosen.made else ""
    origin = SheetOrigin(chosen.name, name, file_digest(chosen.path), env.downloads())
    where, size = write_sheet(args.page or "sheet.html", sets, title, origin)
    if chosen.made is not None:
        register_of(args, env).note_sheet(chosen.made, where)
    picture = draw_sheet(args.png, sets, title) if args.png else None
    env.answer(args, SheetAnswer(where, size, len(sets), picture))
    if sets:
        env.next(args, "fold", origin.saved)
    return ExitStatus.DONE


def _proposed(args: argparse.Namespace, env: Environment, stock: "Stock", progress: "Progress") -> ChosenDocket:
    """Propose as `keep` does with the settings, and return the docket that has it."""
    from dataclasses import replace

    from foldkeep.find.copies import Question
    from foldkeep.keep import Proposal, Wishes, propose_for
    from foldkeep.scan import check_filter

    register = register_of(args, env)
    decisions = register.decisions()
    wishes = replace(Wishes.after(env.settings(args).settings, wanted(args)), decided=decisions.rows)
    check_filter(stock, wishes.wanted)
    env.tell_half_scanned(args, stock)
    projects = settings_projects(env.settings(args).settings, stock)
    proposal = Proposal()
    rows = propose_for(stock, Question(), wishes, projects, stock.catalogs.all(), proposal, progress)
    chosen = write_made(args, register, decisions.noted(rows), proposal)
    tell_others(args, env, chosen, decisions)
    return chosen
