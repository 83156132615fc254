"""Catalogues that are remembered, and how much of them is in the stock."""

from collections.abc import Sequence
from typing import NamedTuple

from foldkeep.find.catalogs import Known
from foldkeep.model import visible
from foldkeep.model.catalogs import Catalog

from ..page.documents import Document, path_document
from ..page.page import CARE, QUIET, STRONG, Page
from ..page.tables import Column
from ..page.words import count


class CatalogsAnswer(NamedTuple):
    """Answer of `catalog list`."""

    catalogs: Sequence[Catalog]

    def document(self) -> Document:
        """Return the JSON document."""
        return {"command": "catalog", "catalogs": list(map(_catalog_document, self.catalogs))}

    def write(self, page: Page) -> None:
        """Write it for people."""
        if not self.catalogs:
            page.line("No catalogue is remembered. Add one: foldkeep catalog add NAME FILE")
            return
        page.table(
            [Column("name", style=STRONG), Column("form"), Column("source"), Column("how", style=QUIET)],
            [
                (visible(catalog.name), source.form, visible(source.path), _how(catalog, source.field, source.query))
                for catalog in self.catalogs
                for source in catalog.sources
            ],
        )


class KnownAnswer(NamedTuple):
    """Answer of `catalog check`: how much is in the stock, and what keeps the rest from being found."""

    known: Known
    folders: Sequence[bytes]

    def document(self) -> Document:
        """Return the JSON document."""
        return {"command": "catalog", **known_document(self.known, self.folders)}

    def write(self, page: Page) -> None:
        """Write it for people."""
        write_known(page, self.known, self.folders)


def write_known(page: Page, known: Known, folders: Sequence[bytes]) -> None:
    """Write how much of a catalogue is in the stock, and what keeps the rest from being found."""
    page.line(
        (count(known.entries, "entry", "entries"), STRONG),
        f" in {', '.join(map(visible, known.names))}: {count(len(known.files), 'file')} found, "
        f"{len(known.missing):,} missing"
        + (f", {count(known.streams, 'stream')} on a network." if known.streams else "."),
    )
    page.line("Its folders: ", ", ".join(map(visible, folders)))
    if known.advice:
        page.line((known.advice, CARE))


def known_document(known: Known, folders: Sequence[bytes]) -> Document:
    """Return how much of catalogues is in the stock."""
    return {
        "catalogs_read": [visible(name) for name in known.names],
        "folders": [path_document(folder) for folder in folders],
        "entries": known.entries,
        "found": len(known.files),
        "not_found": len(known.missing),
        "streams": known.streams,
        "advice": known.advice,
    }


def _catalog_document(catalog: Catalog) -> Document:
    """Return a catalogue that is remembered."""
    return {
        "name": catalog.name,
        "sources": [
            {"form": s.form, "path": visible(s.path), "field": s.field, "query": s.query} for s in catalog.sources
        ],
        "root_maps": [list(pair) for pair in catalog.root_maps],
        "ignore_case": catalog.ignore_case,
    }


def _how(catalog: Catalog, field: str, query: str) -> str:
    words = [f"field {visible(field)}"] * bool(field) + [visible(query)] * bool(query)
    words += [f"{visible(old)} is {visible(new)} here" for old, new in catalog.root_maps]
    return "; ".join(words + ["letter case does not count"] * catalog.ignore_case)
