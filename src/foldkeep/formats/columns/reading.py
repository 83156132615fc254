"""Inventories by columns, read folder by folder as those by lines are."""

import json
from collections.abc import Iterator
from contextlib import ExitStack
from itertools import groupby

from foldkeep.model import UnusableInput, visible
from foldkeep.model.work import in_blocks, reason_of

from ..own import InventoryFolder, InventoryHead, InventoryReader, checked, head_of
from ..reading import opened_file
from . import seal
from .sql import database, plain_name

COLUMNS = (
    ("machine", "VARCHAR"), ("machine_name", "VARCHAR"), ("place", "VARCHAR"), ("role", "VARCHAR"),
    ("volume", "VARCHAR"), ("folder", "BLOB"), ("name", "BLOB"), ("kind", "VARCHAR"),
    ("size", "BIGINT"), ("modified_ns", "BIGINT"),
    ("inode", "BIGINT"), ("links", "BIGINT"), ("owner", "BIGINT"), ("blocks", "BIGINT"), ("extent", "BIGINT"),
    ("content", "VARCHAR"), ("ends", "BIGINT"), ("digest", "BLOB"), ("used", "VARCHAR"), ("signals", "VARCHAR"),
)  # fmt: skip
"""What is known of a file, and how the database holds it; `used` is what uses it, `signals` what was measured of it."""

_ADVICE = "name a file that `foldkeep inventory save` wrote"
_FILES_AT_ONCE = 1000
_COLUMNS = "name, kind, size, modified_ns, inode, links, owner, blocks, extent, content, ends, lower(hex(digest))"


def inventory_reader(path: str) -> "InventoryReader | ColumnsReader":
    """Open an inventory in either form; raise UnusableInput if it is no whole one."""
    return ColumnsReader(path) if is_by_columns(path) else InventoryReader(path)


def is_by_columns(path: str) -> bool:
    """Tell whether a file is Parquet; raise UnusableInput if it cannot be read."""
    try:
        with opened_file(path) as file:
            return seal.is_parquet(file)
    except OSError as error:
        raise _unreadable(path, error) from error


def read_head(path: str, shown: str = "") -> InventoryHead:
    """Return what an inventory by columns tells of; raise UnusableInput if it is no whole one.

    `shown` is what the user knows it by, if that is another path.
    """
    import duckdb

    try:
        with opened_file(path) as file:
            if not seal.is_sealed(file):
                raise _damaged(shown or path, "it was cut short or changed, or it is none")
        with database() as (asked, folder):
            plain = plain_name(path, folder)
            pairs = asked.execute("SELECT key, value FROM parquet_kv_metadata(?)", [plain]).fetchall()
            columns = asked.execute("DESCRIBE SELECT * FROM read_parquet(?)", [plain]).fetchall()
        if tuple(column[:2] for column in columns) != COLUMNS:
            raise _damaged(shown or path, "it has other columns")
        return head_of(json.loads(dict(pairs)[seal.HEAD_KEY.encode()]))
    except OSError as error:
        raise _unreadable(path, error) from error
    except (duckdb.Error, ValueError, KeyError, TypeError, AttributeError, OverflowError, RecursionError) as error:
        raise _damaged(shown or path, "it does not begin as one") from error


class ColumnsReader:
    """An inventory by columns that is being read.

    Attributes
    ----------
    head
        What it begins with.
    """

    def __init__(self, path: str) -> None:
        self._path = path
        self.head = read_head(path)
        self._opened = ExitStack()

    def folders(self) -> Iterator[InventoryFolder]:
        """Yield the folders with their files in order of path; a large one comes in several parts.

        Raises UnusableInput if what it holds makes no sense.
        """
        import duckdb

        numbers = {place.label: number for number, place in enumerate(self.head.places)}
        with self._opened as opened:
            asked, own = opened.enter_context(database())
            try:
                asked.execute(
                    f"SELECT folder, place, volume, {_COLUMNS} FROM read_parquet(?)"
                    " ORDER BY folder, place, volume, name",
                    [plain_name(self._path, own)],
                )
                rows = (row for rows in iter(lambda: asked.fetchmany(_FILES_AT_ONCE), []) for row in rows)
                for (folder, place, volume), files in groupby(rows, key=lambda row: row[:3]):
                    for some in in_blocks(files, _FILES_AT_ONCE):
                        named = [row[3:] for row in some if row[3] is not None]
                        columns = map(list, zip(*named, strict=True)) if named else ([] for _ in _COLUMNS.split(", "))
                        yield checked(InventoryFolder(folder, numbers[place], volume, *columns))
            except (duckdb.Error, KeyError, TypeError, ValueError) as error:
                raise _damaged(self._path, "what it holds makes no sense") from error

    def close(self) -> None:
        """Close it before its end."""
        self._opened.close()


def _unreadable(path: str, error: OSError) -> UnusableInput:
    return UnusableInput(f"cannot read the inventory {visible(path)}: {reason_of(error)}", _ADVICE)


def _damaged(path: str, why: str) -> UnusableInput:
    return UnusableInput(f"{visible(path)} is no whole inventory: {why}", "take another copy of it, or save it again")
