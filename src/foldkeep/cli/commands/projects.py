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

from ..environment import Environment, ExitStatus
from ..options import PROJECTS, Option, Takes, projects_of, recipes_of

if TYPE_CHECKING:
    from foldkeep.stock import Stock

EXAMPLES = """\
examples:
  foldkeep projects --quiet-after 1y
  foldkeep projects --inside ~/Videos --plot projects.png
  foldkeep projects --archived
"""

_TOP_ON_TERMINAL = 12


OPTIONS = (
    Option("-o", "write a docket of quiet projects, to archive", Takes.DOCKET, "DOCKET", to="docket"),
    Option("--quiet-after", "call a project quiet after this long without changes (6m)", Takes.AGE, "AGE"),
    Option("--under", "only projects in this folder", Takes.FOLDER, "DIR", several=True),
    Option("--plot", "draw a bar a project, by part and age, as .png or .svg", Takes.FILE, "FILE"),
    Option("--archived", "list what was archived, and where it lies"),
    Option("--name", "with --archived: list the files like this in packages", Takes.GLOB, "GLOB"),
    Option.top(f"list the first N (on a terminal {_TOP_ON_TERMINAL}, else all)"),
    *PROJECTS,
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Find, tell, draw, write."""
    import os
    import time

    from foldkeep.find.projects import projects
    from foldkeep.keep import write_docket
    from foldkeep.keep.dockets import project_rows
    from foldkeep.model import UnusableInput
    from foldkeep.show.answers.projects import ProjectsAnswer
    from foldkeep.signals import Measures
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
    drawn = None
    if args.plot:
        from foldkeep.show.pictures import draw_projects

        drawn = draw_projects(args.plot, found)
    docket = write_docket(args.docket, project_rows(found)) if args.docket else None
    env.answer(args, ProjectsAnswer(found, env.top(args, _TOP_ON_TERMINAL), docket, drawn))
    return env.tell_problems(args, [problem for project in found for problem in project.problems])


def _tell_archived(args: argparse.Namespace, env: Environment, stock: "Stock") -> ExitStatus:
    from fnmatch import fnmatch
    from os import fsdecode

    from foldkeep.show.answers.projects import ArchivedAnswer

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
    env.answer(args, ArchivedAnswer(archives, files))
    return ExitStatus.DONE
