"""Which folders are projects and what can be made again, as the settings and a command line say."""

import argparse
import os
from typing import TYPE_CHECKING

from ..environment import Environment
from .option import Option, Takes

if TYPE_CHECKING:
    from foldkeep.find.references import ProjectFolders
    from foldkeep.model import Settings
    from foldkeep.model.recipes import Recipe
    from foldkeep.stock import Stock


_GROUP = "what is a project, and what can be made again"
CONFIG = Option("--config", "the settings file to use (see `foldkeep settings`)", Takes.FILE, "FILE", rare=True)
RECIPES = (
    Option("--recipes", "your own recipes, used before the built-in ones", Takes.FILE, "FILE", group=_GROUP),
    Option(
        "--trust",
        "trust this recipe: its files count as regenerable without further proof",
        Takes.RECIPE,
        "RECIPE",
        several=True,
        group=_GROUP,
    ),
    CONFIG,
)
"""The options that tell what can be made again."""

PROJECTS = (
    Option(
        "--project-marker",
        "file names that mark their folder as a project",
        Takes.GLOB,
        "GLOB",
        several=True,
        group=_GROUP,
    ),
    Option("--inside", "every folder in DIR is a project", Takes.FOLDER, "DIR", several=True, group=_GROUP),
    *RECIPES,
)
"""The options that tell projects and what can be made again."""


def recipes_of(args: argparse.Namespace, env: Environment) -> "tuple[Recipe, ...]":
    """Return the recipes that are asked, those that the command line names trusted.

    Raises UnusableInput if a file of them cannot be used, or one is named that is not there.
    """
    from foldkeep.formats.own import general_recipes, read_recipes, with_general
    from foldkeep.model import UnusableInput, visible
    from foldkeep.model.spelling import nearest

    named = args.recipes or os.path.expanduser(env.settings(args).settings.recipes)
    recipes = with_general(read_recipes(named)) if named else general_recipes()
    names = [recipe.name for recipe in recipes]
    for name in args.trust:
        if name not in names:
            near = nearest(name, names)
            advice = f"did you mean '{visible(near)}'?" if near else f"write one of {', '.join(names)}"
            raise UnusableInput(f"--trust {visible(name)} is no recipe", advice)
    return tuple(recipe._replace(trust=True) if recipe.name in args.trust else recipe for recipe in recipes)


def projects_of(args: argparse.Namespace, env: Environment, stock: "Stock") -> "ProjectFolders":
    """Return the projects of a stock."""
    settings = env.settings(args).settings
    inside, markers = (*settings.inside, *args.inside), (*settings.markers, *args.project_marker)
    return settings_projects(settings._replace(inside=inside, markers=markers), stock)


def settings_projects(settings: "Settings", stock: "Stock") -> "ProjectFolders":
    """Return the projects of a stock as the settings tell them."""
    from foldkeep.find.references import ProjectFolders
    from foldkeep.storage.local.drives import real_path

    folders = [real_path(os.fsencode(os.path.expanduser(folder))) for folder in settings.inside]
    return ProjectFolders(stock, settings.markers, folders)
