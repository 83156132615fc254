"""Files of many machines that agree."""

import sqlite3
from collections.abc import Collection, Iterator
from typing import Any

from foldkeep.model import Filter

from ..files import FILE_COLUMNS
from ..filtering import FILTERABLE, KIND_OF_ALL, condition
from ..sets import Sets
from .connection import translated
from .ranges import digest_ranges

_SETS_AT_ONCE = 500_000
_HELD = 4  # the contents that were given last; one is read ahead of the set that is looked at


class SetsOfMany(Sets):
    """Groups of files that agree, as `Sets` has them; the files of all of them come in one go."""

    _FILE = "(inode, volume)"
    _BLOCK = "(coalesce(~{extent}, inode), volume)"
    _LESS, _MORE = "least", "greatest"
    _ANY = "any_value({})"
    _IN_ORDER = " ORDER BY 1"
    _NUMBER = "(s.rowid + 1)"

    def __init__(self, connection: sqlite3.Connection) -> None:
        super().__init__(connection)
        self._held: dict[bytes, set[int]] = {}

    def _sums_at(self, numbers: list[int]) -> dict[str, str]:
        self._at_places: dict[int, list[int]] = {number: [0, 0] for number in numbers}
        return {}  # of forty machines, these would be most of a group

    def _fill(self, number: int, part: str, values: list[object]) -> None:
        plain = "digest" in self._keys and not self._has_clones() and not self._has_others_files()
        for within in self._ranges() if plain else ("",):
            if plain:
                self._fill_plainly(number, part + within, values)
            else:
                super()._fill(number, part, values)
            rows = self._db.execute(
                f"SELECT f.place, count(*), coalesce(sum(f.size), 0) FROM {self._joined('sets')}"
                f" WHERE s.part = {number}{within} GROUP BY f.place"
            )
            for place, names, size in rows:
                self._at_places[place][0] += names
                self._at_places[place][1] += int(size)

    def _fill_plainly(self, number: int, part: str, values: list[object]) -> None:
        """Set down groups of one content: by file first, since distinct files of each would have to be in memory."""
        keys = ", ".join(self._keys)
        self._db.execute(
            f"INSERT INTO temp.sets SELECT ?, {keys}, {KIND_OF_ALL}, any_value(size), sum(names), max(links),"
            f" count(*) - 1, any_value(size) * (count(*) - 1), min(first_name) FROM (SELECT {keys},"
            f" {KIND_OF_ALL} AS kind, any_value(size) AS size, count(*) AS names, max(links) AS links,"
            " min(name) AS first_name"
            f" FROM files f WHERE {part} GROUP BY {keys}, volume, inode) GROUP BY {keys} HAVING count(*) > 1",
            (number, *values),
        )

    def _ranges(self) -> Iterator[str]:
        """Return conditions that part the digests, so that each part fits in memory."""
        (rows,) = self._db.execute("SELECT count(*) FROM files").fetchone() or (0,)
        return (f" AND {within}" for within in digest_ranges(rows, "f.digest"))

    def _correct(self, number: int, places: Collection[int]) -> None:
        if self._db.execute("SELECT 1 FROM temp.sets WHERE links > 1 LIMIT 1").fetchone():
            super()._correct(number, places)

    def _count(self, numbers: list[int]) -> dict[str, tuple[int, int, int]]:
        rows = self._db.execute(
            "SELECT kind, count(*), coalesce(sum(spares), 0), coalesce(sum(reclaimable), 0) FROM temp.sets"
            " GROUP BY kind ORDER BY 4 DESC, kind"
        )
        self._by_place = {number: (names, size) for number in numbers for names, size in [self._at_places[number]]}
        return {kind: (sets, int(spares), int(reclaimable)) for kind, sets, spares, reclaimable in rows}

    def _of_ranked(self) -> Iterator[tuple[Any, ...]]:
        self._held.clear()
        (count,) = self._db.execute("SELECT count(*) FROM temp.ranked").fetchone()
        for first in range(0, count, _SETS_AT_ONCE):
            for *row, digest, places in self._of_page(first, first + _SETS_AT_ONCE):
                if digest is not None and digest not in self._held:
                    self._held[digest] = set(places)
                    while len(self._held) > _HELD:
                        del self._held[next(iter(self._held))]
                yield tuple(row)

    def _of_page(self, first: int, end: int) -> Iterator[tuple[Any, ...]]:
        """Yield the files of some of the ranked groups, each with the content and its places if these are asked for.

        The files of all groups in order would not fit in memory, and what stands for a list is never put on the disk.
        """
        page = f"s.rowid >= {first} AND s.rowid < {end}"
        columns, holders = "NULL, NULL", ""
        if "digest" in self._keys and self._has_parts():
            # Where each content lies comes along: to ask for it set by set would read everything each time.
            columns = "f.digest, h.places"
            holders = (
                " JOIN (SELECT digest AS held, list(DISTINCT place) AS places FROM files"
                f" WHERE digest IN (SELECT digest FROM ranked s WHERE {page}) GROUP BY digest) h ON h.held = f.digest"
            )
        yield from self._db.execute(
            f"SELECT {self._NUMBER} AS number, s.part, s.reclaimable, {FILE_COLUMNS}, {columns}"
            f" FROM {self._joined('ranked')}{holders}"
            f" JOIN folders d ON d.id = f.folder WHERE {page} ORDER BY number, d.path, f.name"
        )

    def _has_parts(self) -> bool:
        """Tell whether places are compared in several groups."""
        (parts,) = self._db.execute("SELECT count(DISTINCT part) FROM temp.parts").fetchone() or (0,)
        return bool(parts > 1)

    def places_of(self, digest: bytes) -> set[int]:
        """Return the numbers of the places that have a file of this content."""
        return self._held.get(digest) or super().places_of(digest)

    def folders(self, wanted: Filter) -> Iterator[tuple[int, bytes, int, int]]:
        """Yield every folder as `Sets.folders` does."""
        fits, values = condition(self._db, wanted)
        inside = translated(
            f"SELECT f.folder AS folder, count(*) AS n, sum(f.size) AS bytes FROM {FILTERABLE}"
            f" WHERE f.size > 0 AND {fits} GROUP BY f.folder"
        )
        yield from self._db.execute(
            "SELECT d.id, d.path, coalesce(n, 0), coalesce(bytes, 0) FROM folders d"
            f" LEFT JOIN ({inside}) AS within ON within.folder = d.id",
            values,
        )
