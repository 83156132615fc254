"""Which folders are projects and what can be made again, as the settings and a command line say."""

import argparse
import os
from dataclasses import replace
from typing import TYPE_CHECKING

from .environment import Environment

if TYPE_CHECKING:
    from foldkeep.find.references import ProjectFolders
    from foldkeep.model.recipes import Recipe
    from foldkeep.stock import Stock


def add_recipes(parser: argparse.ArgumentParser) -> None:
    """Add the arguments that tell what can be made again."""
    parser.add_argument("--recipes", metavar="FILE", help="recipes of yours, asked before the general ones")
    parser.add_argument(
        "--trust", metavar="RECIPE", action="append", default=[],
        help="take the files of this recipe for derived ones, which its names alone do not prove",
    )  # fmt: skip
    parser.add_argument("--config", metavar="FILE", help="the settings file to use (see `foldkeep settings`)")


def add_projects(parser: argparse.ArgumentParser) -> None:
    """Add the arguments that tell projects and what can be made again."""
    parser.add_argument(
        "--project-marker", metavar="GLOB", action="append", default=[],
        help="names of files that make a project of their folder",
    )  # fmt: skip
    parser.add_argument(
        "--inside", metavar="DIR", action="append", default=[], help="each folder in this one is a project"
    )
    add_recipes(parser)


def recipes_of(args: argparse.Namespace, env: Environment) -> "tuple[Recipe, ...]":
    """Return the recipes that are asked, those that the command line names trusted.

    Raises UnusableInput if a file of them cannot be used, or one is named that is not there.
    """
    from difflib import get_close_matches

    from foldkeep.formats.own import general_recipes, read_recipes, with_general
    from foldkeep.model import UnusableInput, visible

    named = args.recipes or os.path.expanduser(env.settings(args).settings.recipes)
    recipes = with_general(read_recipes(named)) if named else general_recipes()
    names = [recipe.name for recipe in recipes]
    for name in args.trust:
        if name not in names:
            near = get_close_matches(name, names, 1)
            advice = f"did you mean '{visible(near[0])}'?" if near else f"write one of {', '.join(names)}"
            raise UnusableInput(f"--trust {visible(name)} is no recipe", advice)
    return tuple(replace(recipe, trust=True) if recipe.name in args.trust else recipe for recipe in recipes)


def projects_of(args: argparse.Namespace, env: Environment, stock: "Stock") -> "ProjectFolders":
    """Return the projects of a stock."""
    from foldkeep.find.references import ProjectFolders
    from foldkeep.storage.local.drives import real_path

    settings = env.settings(args).settings
    inside = (os.path.expanduser(folder) for folder in (*settings.inside, *args.inside))
    folders = [real_path(os.fsencode(folder)) for folder in inside]
    return ProjectFolders(stock, (*settings.markers, *args.project_marker), folders)
