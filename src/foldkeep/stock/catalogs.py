"""The catalogues that are remembered."""

import json
import sqlite3

from foldkeep.model.catalogs import Catalog, CatalogSource


class Catalogs:
    """Catalogues by name."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._db = connection

    def all(self) -> list[Catalog]:
        """Return every catalogue in order of name."""
        return [
            _catalog(name, json.loads(definition))
            for name, definition in self._db.execute("SELECT name, definition FROM catalogs ORDER BY name")
        ]

    def put(self, catalog: Catalog) -> None:
        """Remember a catalogue, in place of one that has its name."""
        definition = {**catalog._asdict(), "sources": [source._asdict() for source in catalog.sources]}
        name = definition.pop("name")
        self._db.execute("INSERT OR REPLACE INTO catalogs VALUES (?, ?)", (name, json.dumps(definition)))

    def forget(self, name: str) -> bool:
        """Forget a catalogue; tell whether there was one."""
        return self._db.execute("DELETE FROM catalogs WHERE name = ?", (name,)).rowcount > 0


def _catalog(name: str, definition: dict[str, list[dict[str, str]]]) -> Catalog:
    sources = tuple(CatalogSource(**source) for source in definition["sources"])
    maps = tuple((old, new) for old, new in definition["root_maps"])
    return Catalog(name, sources, maps, bool(definition["ignore_case"]))
