"""A stock of many machines: what their inventories tell, asked as one."""

import sqlite3
from collections.abc import Iterable, Mapping, Sequence
from typing import TYPE_CHECKING, NamedTuple, cast

from foldkeep.formats.columns import blob, text
from foldkeep.formats.own import InventoryHead
from foldkeep.model import Role
from foldkeep.model.machines import path_on
from foldkeep.model.volumes import is_lasting_key

from ..holdings import Holdings
from ..stock import Stock
from .connection import MACROS, Connection
from .listing import ListingOfMany
from .sets import SetsOfMany

if TYPE_CHECKING:
    from duckdb import DuckDBPyConnection

# What must be there is; a file that somebody made up may have nothing in its place.
_KNOWN = (
    "name, coalesce(kind, 'other') AS kind, coalesce(size, 0) AS size, coalesce(modified_ns, 0) AS modified_ns,"
    " coalesce(inode, 0) AS inode, coalesce(links, 1) AS links, coalesce(owner, 0) AS owner, blocks, extent, content,"
    " ends, digest, used, signals"
)


class Columns(NamedTuple):
    """An inventory by columns.

    Attributes
    ----------
    head
        What it tells of; of its files those in the places that this names.
    path
        Where it lies.
    machine
        What its machine is called among those that are asked; empty if there is no other.
    shown
        What the user knows it by, if it was converted.
    """

    path: str
    head: InventoryHead
    machine: str = ""
    shown: str = ""

    @property
    def name(self) -> str:
        """What the user knows it by."""
        return self.shown or self.path


def stock_of_many(sources: Sequence[Columns], connection: "DuckDBPyConnection", schema: str = "main") -> Stock:
    """Return a stock that inventories tell: places and volumes are in memory, files are read where they lie.

    Parameters
    ----------
    sources
        The inventories; of several machines with different names.
    connection
        A database; what is called as `schema` is this stock's alone until it is closed.
    """
    stock = Stock.open(":memory:", create=True)
    try:
        with stock.transaction(flush=False):
            selected = [_enter(stock, source) for source in sources]
        if schema != "main":
            connection.execute(f"CREATE SCHEMA {schema}")
        asked = Connection(connection, schema)
        for macro in MACROS:
            asked.execute(macro)
        asked.execute(f"CREATE VIEW listed AS {' UNION ALL '.join(selected)}")
        asked.execute("CREATE VIEW files AS SELECT * FROM listed WHERE name IS NOT NULL")
        _copy_places(stock, asked)
    except BaseException:
        stock.close()
        raise
    in_place_of_sqlite = cast("sqlite3.Connection", asked)
    stock.sets = SetsOfMany(in_place_of_sqlite)
    stock.listing = ListingOfMany(asked)
    stock.holdings = Holdings(in_place_of_sqlite)
    return stock


def _enter(stock: Stock, source: Columns) -> str:
    """Enter the places and volumes of an inventory, and return the SQL that selects its files."""
    head, machine = source.head, source.machine

    def key_of(key: str) -> str:
        # What the system gives a name of its own at each start may be another machine's name for something else.
        return key if is_lasting_key(key) or not machine else f"{key} on {machine}"

    volumes = {
        key: stock.places.volume(key_of(key), f"{machine}: {name}" if machine else name)
        for key, name in head.volumes.items()
    }
    places = {
        place.label: stock.places.add(
            path_on(machine, place.path) if machine else place.path,
            Role(place.role),
            f"{machine}:{place.label}" if machine else place.label,
            volumes[place.volume_key],
            number,
        ).id
        for number, place in enumerate(head.places)
    }
    folder = "coalesce(folder, '/'::BLOB)"
    if machine:
        folder = f"{blob(path_on(machine, b''))} || {folder}"
    return (
        f"SELECT {folder} AS folder, {_numbered('place', places)} AS place, {_numbered('volume', volumes)} AS volume,"
        f" {_KNOWN}, file_row_number AS id FROM read_parquet({text(source.path)}, file_row_number = true)"
        f" WHERE {_is_one_of('place', places)} AND {_is_one_of('volume', volumes)}"
    )


def _numbered(column: str, numbers: Mapping[str, int]) -> str:
    cases = " ".join(f"WHEN {text(word)} THEN {number}" for word, number in numbers.items())
    return f"CASE {column} {cases} END" if cases else "NULL"


def _is_one_of(column: str, words: Iterable[str]) -> str:
    known = ", ".join(map(text, words))
    return f"{column} IN ({known})" if known else "false"


def _copy_places(stock: Stock, asked: Connection) -> None:
    """Have the database know the places too, and that nothing is known of what inventories do not tell."""
    for table in ("places", "volumes", "signals", "checks"):
        columns = stock.places.columns(table)
        asked.execute(f"CREATE TABLE {table} ({', '.join(f'{name} {type_}' for name, type_ in columns)})")
        marks = ", ".join("?" * len(columns))
        asked.executemany(f"INSERT INTO {table} VALUES ({marks})", stock.places.rows(table))
