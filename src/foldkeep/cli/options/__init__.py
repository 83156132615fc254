"""What can be typed, as data, and what it means: the options that several commands take."""

from .catalogs import READING, catalog_of, named_catalogs, remembered_and_named
from .common import BREAK_LOCK, COMMON
from .filters import FILTERS, ROLES, filter_words, wanted
from .option import Option, Takes, add_options
from .parser import Parser
from .projects import CONFIG, PROJECTS, RECIPES, projects_of, recipes_of, settings_projects
from .stock_or_inventory import INVENTORY, open_source

__all__ = [
    "BREAK_LOCK",
    "COMMON",
    "CONFIG",
    "FILTERS",
    "INVENTORY",
    "PROJECTS",
    "READING",
    "RECIPES",
    "ROLES",
    "Option",
    "Parser",
    "Takes",
    "add_options",
    "catalog_of",
    "filter_words",
    "named_catalogs",
    "open_source",
    "projects_of",
    "recipes_of",
    "remembered_and_named",
    "settings_projects",
    "wanted",
]
