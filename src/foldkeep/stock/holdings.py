"""Where contents lie: on which volumes, in which places, as scans saw them."""

import sqlite3
from collections.abc import Collection, Iterator, Sequence
from typing import NamedTuple

from foldkeep.model import Filter, Place, StockFile

from .checks import Checks
from .files import FILE_COLUMNS, join, stock_file
from .filtering import FILTERABLE, condition, numbers
from .places import Places


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
        self._known_places: dict[int, Place] | None = None
        self._known_damaged: list[int] | None = None

    def read(self, wanted: Filter) -> Iterator[tuple[bytes, int, int, int, int, str]]:
        """Yield the files whose content was read, in order of digest: all of those of which one fits.

        Of each that is digest, volume, inode, place, size and kind: plain tuples, since there may be millions.
        """
        fits, values = condition(self._db, wanted)
        some = f"AND f.digest IN (SELECT f.digest FROM {FILTERABLE} WHERE {fits})" if wanted else ""
        rows = self._db.execute(
            "SELECT f.digest, f.volume, f.inode, f.place, f.size, f.kind FROM files f WHERE f.digest IS NOT NULL"
            f" AND f.size > 0 {some} {self._sound()} ORDER BY f.digest",
            values if wanted else (),
        )
        yield from rows

    def unread(self, wanted: Filter) -> list[Unread]:
        """Return the files that fit and were never read whole, summed up; the hard links of one count once."""
        tables, part, values = self._unread(wanted)
        # The names of a folder lie together, so that grouping by folders first spares sorting all of them.
        rows = self._db.execute(
            f"SELECT f.kind, f.place, f.volume, count(*), sum(f.size) FROM {tables} WHERE {part}"
            " GROUP BY f.folder, 1, 2, 3",
            values,
        )
        sums: dict[tuple[str, int, int], list[int]] = {}
        for *group, files, size in rows:
            counted = sums.setdefault(tuple(group), [0, 0])
            counted[0] += files
            counted[1] += size
        return [Unread(*group, *counted) for group, counted in sums.items()]

    def unread_files(
        self, wanted: Filter, at: Collection[tuple[int, int]] | None = None, most: int | None = None
    ) -> Iterator[tuple[int, int, int, int]]:
        """Yield the files that fit and were never read whole: number, size, place and volume; hard links once.

        Parameters
        ----------
        at
            Only those of these places and volumes; all when None.
        most
            How many, the largest first; all, in no order, when None.
        """
        tables, part, values = self._unread(wanted)
        if at is not None:
            part += f" AND (f.place, f.volume) IN (VALUES {','.join(map(str, at))})" if at else " AND 0"
        order = "" if most is None else f" ORDER BY f.size DESC, f.id LIMIT {int(most)}"
        yield from self._db.execute(f"SELECT f.id, f.size, f.place, f.volume FROM {tables} WHERE {part}{order}", values)

    def _unread(self, wanted: Filter) -> tuple[str, str, list[object]]:
        """Return tables, condition and parameters for files that fit and were never read whole, hard links once."""
        fits, values = condition(self._db, wanted)
        tables = FILTERABLE if wanted else "files f NOT INDEXED"
        part = f"f.digest IS NULL AND f.size > 0 AND {fits} {self._sound()}"
        if self._db.execute("SELECT 1 FROM files WHERE links > 1 AND digest IS NULL LIMIT 1").fetchone() is None:
            return tables, part, values
        once = f"SELECT min(f.id) FROM {tables} WHERE f.links > 1 AND {fits} GROUP BY f.volume, f.inode"
        part += f" AND (f.links = 1 OR f.id IN ({once}))"
        return tables, part, [*values, *values]

    def numbered(self, ids: Sequence[int]) -> dict[int, StockFile]:
        """Return files by their numbers."""
        rows = self._db.execute(
            f"SELECT f.id, {FILE_COLUMNS} FROM files f JOIN folders d ON d.id = f.folder WHERE f.id IN ({numbers(ids)})"
        )
        return {row[0]: stock_file(row[1:], self._places()) for row in rows}

    def having(self, digests: Sequence[bytes]) -> dict[bytes, list[StockFile]]:
        """Return the files of contents, in order of path."""
        rows = self._db.execute(
            f"SELECT f.digest, {FILE_COLUMNS} FROM files f JOIN folders d ON d.id = f.folder"
            f" WHERE f.digest IN ({','.join('?' * len(digests))}) ORDER BY d.path, f.name",
            tuple(digests),
        )
        found: dict[bytes, list[StockFile]] = {}
        for digest, *row in rows:
            found.setdefault(digest, []).append(stock_file(tuple(row), self._places()))
        return found

    def _places(self) -> dict[int, Place]:
        """Return the places by number, asked for once: they are the same while a question is answered."""
        if self._known_places is None:
            self._known_places = Places(self._db).by_id()
        return self._known_places

    def with_ends(self, size: int, ends: int) -> list[StockFile]:
        """Return the files of a size that have these ends, in order of path."""
        return self._of_size("f.size = ? AND f.ends = ?", size, ends)

    def without_ends(self, size: int) -> list[StockFile]:
        """Return the files of a size of which the ends were never read, in order of path."""
        return self._of_size("f.size = ? AND f.ends IS NULL", size)

    def paths_of_sizes(self, least: int, more: int) -> Iterator[bytes]:
        """Yield the paths of the files that may be media and have so many bytes, or up to so many more; by size."""
        rows = self._db.execute(
            "SELECT d.path, f.name FROM files f JOIN folders d ON d.id = f.folder WHERE f.size BETWEEN ? AND ?"
            " AND f.kind NOT IN ('document', 'packed', 'sidecar', 'catalog', 'project')"
            " ORDER BY f.size, d.path, f.name",
            (least, least + more),
        )
        for folder, name in rows.fetchall():
            yield join(folder, name)

    def _of_size(self, condition: str, *values: int) -> list[StockFile]:
        rows = self._db.execute(
            f"SELECT {FILE_COLUMNS} FROM files f JOIN folders d ON d.id = f.folder WHERE {condition} {self._sound()}"
            " ORDER BY d.path, f.name",
            values,
        )
        return [stock_file(row, self._places()) for row in rows]

    def damaged(self) -> int:
        """Return how many files were found damaged and still are."""
        return len(self._damaged())

    def _damaged(self) -> list[int]:
        """Return the numbers of the files that were found damaged, asked for once: a question is answered at a time."""
        if self._known_damaged is None:
            paths = (path.rpartition(b"/") for path in Checks(self._db).damaged())
            rows = (
                self._db.execute(
                    "SELECT f.id FROM files f JOIN folders d ON d.id = f.folder WHERE d.path = ? AND f.name = ?",
                    (folder or b"/", name),
                ).fetchone()
                for folder, _, name in paths
            )
            self._known_damaged = [row[0] for row in rows if row]
        return self._known_damaged

    def _sound(self) -> str:
        """Return a condition on ``files f`` that what was found damaged does not meet; nothing where nothing was."""
        damaged = self._damaged()
        return f"AND f.id NOT IN ({numbers(damaged)})" if damaged else ""
