"""How catalogues are named on the command line, in the same words wherever they are."""

import argparse
from typing import TYPE_CHECKING

from .option import Option, Takes

if TYPE_CHECKING:
    from foldkeep.model.catalogs import Catalog
    from foldkeep.stock import Stock


_GROUP = "how a catalogue is read"
READING = (
    Option(
        "--field", "the column, key or JSON pointer that has the path", Takes.WORD, "NAME", default="", group=_GROUP
    ),
    Option(
        "--query", "what to ask an SQLite file, as in: select path from …", Takes.WORD, "SQL", default="", group=_GROUP
    ),
    Option(
        "--root-map", "paths that begin with OLD lie at NEW here", Takes.WORD, "OLD=NEW", several=True, group=_GROUP
    ),
    Option("--ignore-case", "names that differ in letter case are the same", group=_GROUP),
)
"""The options that tell how a catalogue is read."""


def catalog_of(args: argparse.Namespace, name: str, sources: list[str]) -> "Catalog":
    """Return a catalogue as the arguments tell it."""
    from foldkeep.formats.catalogs import catalog_source
    from foldkeep.model import UnusableInput, visible
    from foldkeep.model.catalogs import Catalog

    maps = []
    for text in args.root_map:
        old, equals, new = text.partition("=")
        if not equals or not old:
            raise UnusableInput(f"--root-map {visible(text)} is no OLD=NEW", "write one like 'D:/Photos=/media/photos'")
        maps.append((old, new))
    found = tuple(catalog_source(source, args.field, args.query) for source in sources)
    return Catalog(name, found, tuple(maps), args.ignore_case)


def remembered_and_named(args: argparse.Namespace, stock: "Stock") -> "list[Catalog]":
    """Return the catalogues that are remembered and those that ``--catalog`` names, each once."""
    found = (*stock.catalogs.all(), *named_catalogs(args, stock, args.catalog))
    return list({catalog.name: catalog for catalog in found}.values())


def named_catalogs(args: argparse.Namespace, stock: "Stock", words: list[str]) -> "list[Catalog]":
    """Return the catalogues that are meant: remembered ones by name, others by where they lie."""
    remembered = {catalog.name: catalog for catalog in stock.catalogs.all()}
    return [remembered.get(word) or catalog_of(args, word, [word]) for word in words]
