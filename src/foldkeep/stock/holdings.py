"""Where contents lie: on which volumes, in which places, as scans saw them."""

import sqlite3
from collections.abc import Iterator
from typing import NamedTuple

from foldkeep.model import Filter, StockFile

from .checks import Checks
from .files import FILE_COLUMNS, stock_file
from .filtering import FILTERABLE, condition, numbers
from .places import Places


class Holding(NamedTuple):
    """One file of a content; a tuple, since there may be millions."""

    digest: bytes
    volume: int
    inode: int
    place: int
    size: int
    kind: str


class Unread(NamedTuple):
    """Files that were never read whole, since no other file can have their content: by kind, place and volume."""

    kind: str
    place: int
    volume: int
    files: int
    bytes: int


class Holdings:
    """Looks up where contents lie; what was found damaged is not told: nothing is there any more."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._db = connection

    def read(self, wanted: Filter) -> Iterator[Holding]:
        """Yield the files whose content was read, in order of digest: all of those of which one fits."""
        fits, values = condition(self._db, wanted)
        some = f"AND f.digest IN (SELECT f.digest FROM {FILTERABLE} WHERE {fits})" if wanted else ""
        rows = self._db.execute(
            "SELECT f.digest, f.volume, f.inode, f.place, f.size, f.kind FROM files f WHERE f.digest IS NOT NULL"
            f" AND f.size > 0 {some} {self._sound()} ORDER BY f.digest",
            values if wanted else (),
        )
        return map(Holding._make, rows)

    def unread(self, wanted: Filter) -> list[Unread]:
        """Return the files that fit and were never read whole, summed up; the hard links of one count once."""
        fits, values = condition(self._db, wanted)
        tables = FILTERABLE if wanted else "files f"
        once = f"SELECT min(f.id) FROM {tables} WHERE f.links > 1 AND {fits} GROUP BY f.volume, f.inode"
        rows = self._db.execute(
            f"SELECT f.kind, f.place, f.volume, count(*), sum(f.size) FROM {tables} WHERE f.digest IS NULL"
            f" AND f.size > 0 AND (f.links = 1 OR f.id IN ({once})) AND {fits} {self._sound()} GROUP BY 1, 2, 3",
            (*values, *values),
        )
        return list(map(Unread._make, rows))

    def unread_files(self, wanted: Filter) -> Iterator[StockFile]:
        """Yield the files that fit and were never read whole, the largest first; the hard links of one once."""
        places = Places(self._db).by_id()
        fits, values = condition(self._db, wanted)
        rows = self._db.execute(
            f"SELECT {FILE_COLUMNS} FROM {FILTERABLE} WHERE f.digest IS NULL AND f.size > 0 AND {fits}"
            f" {self._sound()} GROUP BY f.volume, f.inode ORDER BY f.size DESC, d.path, f.name",
            values,
        )
        return (stock_file(row, places) for row in rows)

    def of_size(self, size: int) -> list[StockFile]:
        """Return the files of a size, in order of path."""
        places = Places(self._db).by_id()
        rows = self._db.execute(
            f"SELECT {FILE_COLUMNS} FROM files f JOIN folders d ON d.id = f.folder WHERE f.size = ?"
            f" {self._sound()} ORDER BY d.path, f.name",
            (size,),
        )
        return [stock_file(row, places) for row in rows]

    def damaged(self) -> int:
        """Return how many files were found damaged and still are."""
        return len(self._damaged())

    def _damaged(self) -> list[int]:
        paths = (path.rpartition(b"/") for path in Checks(self._db).damaged())
        rows = (
            self._db.execute(
                "SELECT f.id FROM files f JOIN folders d ON d.id = f.folder WHERE d.path = ? AND f.name = ?",
                (folder or b"/", name),
            ).fetchone()
            for folder, _, name in paths
        )
        return [row[0] for row in rows if row]

    def _sound(self) -> str:
        """Return a condition on ``files f`` that what was found damaged does not meet; nothing where nothing was."""
        damaged = self._damaged()
        return f"AND f.id NOT IN ({numbers(damaged)})" if damaged else ""
