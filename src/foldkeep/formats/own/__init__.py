"""Fold Keep's own files: dockets, inventories, recipes and settings."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .csv import read_table, write_new_file, write_table
    from .inventory import (
        InventoryFolder,
        InventoryHead,
        InventoryPlace,
        InventoryReader,
        checked,
        head_entry,
        head_of,
        write_inventory,
    )
    from .recipes import general_recipes, read_recipes, with_general
    from .rests import MOST_BYTES as MOST_OF_REST
    from .rests import Piece, Rest, read_rest, written_rest
    from .settings import SettingsFile, read_settings, settings_table, write_settings
    from .writing import new_file, rewritten

__all__ = [
    "read_table",
    "write_new_file",
    "write_table",
    "InventoryFolder",
    "InventoryHead",
    "InventoryPlace",
    "InventoryReader",
    "checked",
    "head_entry",
    "head_of",
    "write_inventory",
    "general_recipes",
    "read_recipes",
    "with_general",
    "SettingsFile",
    "read_settings",
    "settings_table",
    "write_settings",
    "new_file",
    "rewritten",
    "Rest",
    "Piece",
    "read_rest",
    "written_rest",
    "MOST_OF_REST",
]

__getattr__ = names_of(__name__, __file__)
