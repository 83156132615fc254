"""Open formats in and out, in rooms by what they are of."""

from .catalogs.catalog import FORMS, catalog_source, read_catalog
from .catalogs.repairing import write_repaired
from .catalogs.thumbnails import Thumbnail, read_thumbnail
from .documents.lengths import timeline_seconds
from .documents.manifests import records_of
from .documents.mentions import Mentions, mentions_in
from .own.csv import read_table, rewrite_file, write_new_file, write_table
from .own.inventory import (
    InventoryFolder,
    InventoryHead,
    InventoryPlace,
    InventoryReader,
    write_inventory,
)
from .own.recipes import general_recipes, read_recipes, with_general
from .own.settings import SettingsFile, read_settings, settings_table
from .own.writing import new_file
from .packages import UNFINISHED, Named, Names, Package, Stream, bagit, open_package
from .packages.bagit import BadPackage
from .packages.listings import Form, Listed, Listing, ListingHead, Owner, listed, listing_text
from .reading import opened_file, walked
from .sidecars.sidecar_writing import says_more, with_words
from .sidecars.uniting import Difference, said, united
from .sidecars.xmp import Xmp, parse_xmp

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
