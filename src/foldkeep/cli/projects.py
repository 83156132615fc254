"""Find projects, what each is made of, and how long nothing happened in it.

A project is a folder with the document of one (a timeline, an edit decision
list, or what --project-marker names), or a folder inside one that holds
projects (--inside, or [projects] inside in the settings). Nested ones belong to
the outermost. Caches do not count as activity, only documents and originals.

-o writes a docket of the quiet ones for `foldkeep archive --docket`: action
keep archives a project, fold archives it and then folds the original.
"""

import argparse
from typing import TYPE_CHECKING

from foldkeep.model.units import parse_age

from .environment import Environment, ExitStatus
from .parser import typed
from .projects_of import add_projects, projects_of, recipes_of

if TYPE_CHECKING:
    from foldkeep.stock import Stock

EXAMPLES = """\
examples:
  foldkeep projects --quiet-after 1y
  foldkeep projects --inside ~/Videos --plot projects.png
  foldkeep projects --archived
"""

_TOP_ON_TERMINAL = 12


def arrange(parser: argparse.ArgumentParser) -> None:
    """Declare the arguments."""
    parser.add_argument("-o", dest="docket", metavar="DOCKET", help="write a docket of the quiet projects, to archive")
    parser.add_argument(
        "--quiet-after", metavar="AGE", type=typed(parse_age), help="quiet is what was not changed for so long (6m)"
    )
    parser.add_argument("--under", metavar="DIR", action="append", default=[], help="only projects in this folder")
    parser.add_argument("--plot", metavar="FILE", help="draw a bar a project, by part and age, as .png or .svg")
    parser.add_argument("--archived", action="store_true", help="list what was archived, and where it lies")
    parser.add_argument("--name", metavar="GLOB", help="with --archived: list the files like this in packages")
    parser.add_argument(
        "--top", type=int, metavar="N", help=f"list the first N (on a terminal {_TOP_ON_TERMINAL}, else all)"
    )
    add_projects(parser)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Find, tell, draw, write."""
    import os
    import time

    from foldkeep.find.derived import Measures
    from foldkeep.find.projects import projects
    from foldkeep.keep import project_rows, write_docket
    from foldkeep.model import UnusableInput
    from foldkeep.show import Page, draw_projects, projects_document, show_projects
    from foldkeep.stock import Stock
    from foldkeep.storage.local.drives import real_path

    if args.name and not args.archived:
        raise UnusableInput("--name asks for files in packages", "say --archived as well")
    age = args.quiet_after or parse_age(env.settings(args).settings.quiet_after)
    quiet_before_ns = time.time_ns() - round(age.total_seconds() * 1e9)
    under = tuple(real_path(os.fsencode(folder)) for folder in args.under)
    with Stock.open(env.stock_path(args)) as stock:
        if args.archived:
            return _tell_archived(args, env, stock)
        with env.progress(args) as progress:
            found = projects(
                stock, recipes_of(args, env), projects_of(args, env, stock), quiet_before_ns, under,
                Measures(stock, progress=progress),
            )  # fmt: skip
    drawn = draw_projects(args.plot, found) if args.plot else None
    docket = write_docket(args.docket, project_rows(found)) if args.docket else None
    top = env.top(args, _TOP_ON_TERMINAL)

    def draw(page: Page) -> None:
        show_projects(page, found, top, docket)
        if drawn:
            page.line(f"Drawn: {drawn}")

    document = {"command": "projects", "projects": projects_document(found), "docket": docket, "drawn": drawn}
    env.answer(args, document, draw)
    return env.tell_problems(args, [problem for project in found for problem in project.problems])


def _tell_archived(args: argparse.Namespace, env: Environment, stock: "Stock") -> ExitStatus:
    from fnmatch import fnmatch
    from os import fsdecode

    from foldkeep.show import archived_document, show_archived

    archives = stock.archives.all()
    files = {}
    if args.name:
        files = {
            each.id: [
                file
                for file in stock.archives.files(each.id)
                if fnmatch(fsdecode(file.path.rpartition(b"/")[2]).lower(), args.name.lower())
            ]
            for each in archives
        }
        archives = [each for each in archives if files[each.id]]
    document = {"command": "projects", "archived": archived_document(archives, files)}
    env.answer(args, document, lambda page: show_archived(page, archives, files))
    return ExitStatus.DONE
