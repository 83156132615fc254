"""Which folders are projects and what can be made again, as the settings and a command line say."""

import argparse
import os
from typing import TYPE_CHECKING

from .environment import Environment

if TYPE_CHECKING:
    from foldkeep.find import ProjectFolders
    from foldkeep.model import Recipe
    from foldkeep.stock import Stock


def add_projects(parser: argparse.ArgumentParser) -> None:
    """Add the arguments that tell projects and what can be made again."""
    parser.add_argument("--recipes", metavar="FILE", help="recipes of yours, asked before the general ones")
    parser.add_argument(
        "--project-marker", metavar="GLOB", action="append", default=[],
        help="names of files that make a project of their folder",
    )  # fmt: skip
    parser.add_argument(
        "--inside", metavar="DIR", action="append", default=[], help="each folder in this one is a project"
    )
    parser.add_argument("--config", metavar="FILE", help="the settings file to use (see `foldkeep settings`)")


def recipes_of(args: argparse.Namespace, env: Environment) -> "tuple[Recipe, ...]":
    """Return the recipes that are asked; UnusableInput if a file of them cannot be used."""
    from foldkeep.formats import general_recipes, read_recipes, with_general

    named = args.recipes or os.path.expanduser(env.settings(args).settings.recipes)
    return with_general(read_recipes(named)) if named else general_recipes()


def projects_of(args: argparse.Namespace, env: Environment, stock: "Stock") -> "ProjectFolders":
    """Return the projects of a stock."""
    from foldkeep.find import ProjectFolders

    settings = env.settings(args).settings
    inside = (os.path.expanduser(folder) for folder in (*settings.inside, *args.inside))
    folders = [os.path.realpath(os.fsencode(folder)) for folder in inside]
    return ProjectFolders(stock, (*settings.markers, *args.project_marker), folders)
