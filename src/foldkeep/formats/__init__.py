"""Open formats in and out, one module each."""

from . import bagit
from .bagit import BadPackage
from .catalogs import FORMS, catalog_source, read_catalog
from .csv import read_table, rewrite_file, write_new_file, write_table
from .inventory import (
    InventoryFolder,
    InventoryHead,
    InventoryPlace,
    InventoryReader,
    write_inventory,
)
from .lengths import timeline_seconds
from .listings import Form, Listed, Listing, ListingHead, Owner, listed, listing_text
from .manifests import records_of
from .mentions import Mentions, mentions_in
from .packages import UNFINISHED, Named, Names, Package, Stream, open_package
from .reading import opened_file, walked
from .recipes import general_recipes, read_recipes, with_general
from .repairing import write_repaired
from .settings import SettingsFile, read_settings, settings_table
from .sidecars import says_more, with_words
from .thumbnails import Thumbnail, read_thumbnail
from .uniting import Difference, said, united
from .writing import new_file
from .xmp import Xmp, parse_xmp

__all__ = [
    "FORMS",
    "catalog_source",
    "read_catalog",
    "write_repaired",
    "records_of",
    "bagit",
    "Form",
    "Listed",
    "ListingHead",
    "listing_text",
    "Listing",
    "listed",
    "Owner",
    "BadPackage",
    "Package",
    "Stream",
    "open_package",
    "Named",
    "Names",
    "UNFINISHED",
    "Mentions",
    "mentions_in",
    "timeline_seconds",
    "general_recipes",
    "read_recipes",
    "with_general",
    "InventoryFolder",
    "InventoryHead",
    "InventoryPlace",
    "InventoryReader",
    "write_inventory",
    "new_file",
    "opened_file",
    "walked",
    "read_table",
    "write_table",
    "write_new_file",
    "rewrite_file",
    "read_settings",
    "settings_table",
    "SettingsFile",
    "Thumbnail",
    "read_thumbnail",
    "united",
    "said",
    "Difference",
    "with_words",
    "says_more",
    "Xmp",
    "parse_xmp",
]
