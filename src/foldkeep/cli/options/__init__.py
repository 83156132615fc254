"""What can be typed, as data, and what it means: the options that several commands take."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .catalogs import READING, catalog_of, named_catalogs, remembered_and_named
    from .common import BREAK_LOCK, COMMON
    from .filters import FILTERS, ROLES, filter_words, wanted
    from .option import EVERYWHERE, Option, Takes, add_options, in_order, usage_of
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
    "EVERYWHERE",
    "in_order",
    "usage_of",
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

__getattr__ = names_of(__name__, __file__)
