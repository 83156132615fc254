"""Files that agree in content, or in what else is asked: the questions of finders."""

import sqlite3
from collections.abc import Collection, Iterable, Iterator, Sequence
from itertools import groupby
from typing import Any, NamedTuple

from foldkeep.model import Filter, StockFile
from foldkeep.model.remote import SOMEBODY_ELSE, is_remote

from .files import FILE_COLUMNS, join, stock_file
from .filtering import FILTERABLE, KIND_OF_ALL, condition
from .places import Places

CRITERIA = {"content": "digest", "name": "name", "size": "size", "modified": "modified_ns"}
"""What files of a set can agree in, and the column that holds it."""

_ORDERS = {
    "saving": "reclaimable DESC, bytes DESC",
    "size": "bytes DESC, reclaimable DESC",
    "count": "names DESC, reclaimable DESC",
    "name": "first_name, reclaimable DESC",
}
ORDERS = tuple(_ORDERS)

_TYPES = {"digest": "BLOB", "name": "BLOB", "size": "INTEGER", "modified_ns": "INTEGER"}
_PAGE = 256


class Members(NamedTuple):
    """The files of one group, in order of path.

    Attributes
    ----------
    group
        Which of the groups of places that were compared they are of.
    reclaimable
        Bytes that can come free.
    """

    group: int
    files: list[StockFile]
    reclaimable: int


class Sets:
    """Groups of files that agree. `rank` finds them; the other methods then tell of them."""

    _FILE = "(inode << 8) + volume"
    # Clones share their blocks: one of them is as large as both. An extent is told from an inode by its sign.
    _BLOCK = "(coalesce(~{extent}, inode) << 8) + volume"
    _LESS, _MORE = "min", "max"  # of two numbers
    _ANY = "{}"  # of values that are all alike
    _IN_ORDER = ""  # SQLite joins in the order of the groups
    _NUMBER = "s.rowid"  # of a group, in the order of the table, from 1

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._db = connection
        self._keys: list[str] = []
        self._order = "saving"
        self._one_size = True
        self._at: dict[str, str] = {}
        self._by_place: dict[int, tuple[int, int]] = {}

    def rank(
        self,
        groups: Sequence[Collection[int]],
        criteria: Iterable[str] = ("content",),
        order: str = "saving",
        wanted: Filter | None = None,
    ) -> dict[str, tuple[int, int, int]]:
        """Find the groups of more than one file that agree, and count them.

        Empty files are in no group; hard links to one file are one file.

        Parameters
        ----------
        groups
            Compare the places of each of these among themselves; no place is in two of them.
        criteria
            What files must agree in, of `CRITERIA`.
        order
            One of `ORDERS`, the most first (names: in order of the first one).
        wanted
            Only groups with at least one file that fits.

        Returns
        -------
        dict
            For each kind, the most bytes first: groups, spares, and bytes that can come free.
        """
        self._keys = [CRITERIA[word] for word in CRITERIA if word in set(criteria)]
        self._order = order
        numbers = [place.id for place in Places(self._db).all()]
        # Where copies agree in size, what lies at a place needs no sum of its own.
        self._one_size = not {"digest", "size"}.isdisjoint(self._keys)
        self._at = self._sums_at(numbers)
        keys = ", ".join(f"{key} {_TYPES[key]}" for key in self._keys)
        self._db.execute("DROP TABLE IF EXISTS temp.sets")
        self._db.execute(
            f"CREATE TEMP TABLE sets (part INTEGER, {keys}, kind TEXT, bytes INTEGER, names INTEGER,"
            f" links INTEGER, spares INTEGER, reclaimable INTEGER, first_name BLOB"
            + "".join(f", {column} INTEGER" for column in self._at)
            + ")"
        )
        self._db.execute("DROP TABLE IF EXISTS temp.parts")
        self._db.execute("CREATE TEMP TABLE parts (place INTEGER PRIMARY KEY, part INTEGER)")
        for part, places in enumerate(groups):
            self._db.executemany("INSERT INTO temp.parts VALUES (?, ?)", ((place, part) for place in places))
            self._group(part, places, wanted)
        return self._count(numbers)

    def _sums_at(self, numbers: list[int]) -> dict[str, str]:
        """Return the columns of a group for what of it lies at each place, with their sums."""
        found = {f"names_{number}": f"sum(place = {number})" for number in numbers}
        if not self._one_size:
            found |= {f"bytes_{number}": f"sum(iif(place = {number}, size, 0))" for number in numbers}
        return found

    def _count(self, numbers: list[int]) -> dict[str, tuple[int, int, int]]:
        """Count the groups by kind, and what of them lies at each place, in one go."""
        at_place = ", ".join(
            f"sum(names_{number}), sum(" + (f"names_{number} * bytes" if self._one_size else f"bytes_{number}") + ")"
            for number in numbers
        )
        rows = self._db.execute(
            f"SELECT kind, count(*), sum(spares), sum(reclaimable), {at_place or 'NULL'} FROM temp.sets"
            " GROUP BY kind ORDER BY sum(reclaimable) DESC, kind"
        ).fetchall()
        self._by_place = {
            number: (sum(row[4 + 2 * at] for row in rows), sum(row[5 + 2 * at] for row in rows))
            for at, number in enumerate(numbers)
        }
        return {row[0]: row[1:4] for row in rows}

    def _group(self, number: int, places: Collection[int], wanted: Filter | None) -> None:
        """Set down the groups among some places."""
        keys = ", ".join(self._keys)
        values: list[object] = []
        part = self._taking_part(places)
        if wanted:
            fits, of_filter = condition(self._db, wanted)
            columns = ", ".join(f"f.{key}" for key in self._keys)
            part += f" AND ({keys}) IN (SELECT {columns} FROM {FILTERABLE} WHERE {part} AND {fits})"
            values += of_filter
        self._fill(number, part, values)
        self._correct(number, places)
        if wanted:
            self._narrow(number, places, wanted)

    def _fill(self, number: int, part: str, values: list[object]) -> None:
        """Set down the groups among the files that meet a condition."""
        keys = ", ".join(self._keys)
        # Names are read only if they are asked for: without them the index has all that is needed, in order.
        first = "min(name)" if self._order == "name" else "NULL"
        files = f"count(DISTINCT {self._FILE})"
        size = self._ANY.format("size") if self._one_size else "max(size)"
        # Nearly no stock knows a clone, and counting without them takes two thirds of the time.
        clones = self._has_clones()
        less, more = self._LESS, self._MORE
        block = self._BLOCK.format(extent="extent")
        freed = f"{less}(sum(extent IS NULL), count(DISTINCT {block}) - 1)" if clones else f"({files} - 1)"
        if self._has_others_files():
            freed = f"{more}(0, {less}({freed}, sum(owner <> {SOMEBODY_ELSE}) - 1))"
        at_place = "".join(f", {total}" for total in self._at.values())
        self._db.execute(
            f"INSERT INTO temp.sets SELECT ?, {keys}, {KIND_OF_ALL}, {size}, count(*), max(links), {files} - 1,"
            f" {size} * {freed}, {first}{at_place}"
            f" FROM files f WHERE {part} GROUP BY {keys} HAVING {files} > 1",
            (number, *values),
        )

    def _correct(self, number: int, places: Collection[int]) -> None:
        """Count again what comes free where files have several names."""
        # Where files have several names, all of them must go before space comes free, and one file stays;
        # what shares its blocks with a file that may be anywhere frees nothing.
        same = " AND ".join(f"f.{key} = sets.{key}" for key in self._keys)
        less = self._LESS
        self._db.execute(
            f"UPDATE temp.sets SET reclaimable = (SELECT max(bytes) * {less}(sum(alone), count(DISTINCT block) - 1)"
            " FROM (SELECT max(size) AS bytes, count(*) >= max(links) AND max(extent) IS NULL AS alone,"
            f" {self._BLOCK.format(extent='max(extent)')} AS block FROM files f"
            f" WHERE {same} AND {self._taking_part(places)} GROUP BY volume, inode)) WHERE links > 1 AND part = ?",
            (number,),
        )

    def _narrow(self, number: int, places: Collection[int], wanted: Filter) -> None:
        """Count only what a filter names as what may go: a file frees space if all of its names may."""
        fits, values = condition(self._db, wanted)
        keys = ", ".join(f"f.{key}" for key in self._keys)
        names, less = ", ".join(self._keys), self._LESS
        self._db.execute("DROP TABLE IF EXISTS temp.fitting")
        self._db.execute(
            f"CREATE TEMP TABLE fitting AS SELECT {names}, count(*) AS files,"
            " sum(CASE WHEN fit = 1 AND known >= links AND extent IS NULL THEN bytes ELSE 0 END) AS bytes"
            f" FROM (SELECT {names}, volume, inode, max(bytes_of) AS bytes, max(links) AS links, max(extent) AS extent,"
            f" min(fit) AS fit, count(*) AS known FROM (SELECT {keys}, f.volume AS volume, f.inode AS inode,"
            f" f.size AS bytes_of, f.links AS links, f.extent AS extent, CASE WHEN {fits} THEN 1 ELSE 0 END AS fit"
            f" FROM {FILTERABLE} WHERE {self._taking_part(places)}"
            f" AND ({keys}) IN (SELECT {names} FROM temp.sets WHERE part = ?)) AS named"
            f" GROUP BY {names}, volume, inode HAVING max(fit) = 1) AS files GROUP BY {names}",
            (*values, number),
        )
        same = " AND ".join(f"t.{key} = sets.{key}" for key in self._keys)
        self._db.execute(
            f"UPDATE temp.sets SET spares = {less}(spares, t.files), reclaimable = {less}(reclaimable, t.bytes)"
            f" FROM temp.fitting AS t WHERE {same} AND sets.part = ?",
            (number,),
        )

    def _has_clones(self) -> bool:
        """Tell whether files share blocks with others."""
        found = self._db.execute("SELECT 1 FROM files WHERE extent IS NOT NULL AND digest > x'' LIMIT 1").fetchone()
        return found is not None

    def _has_others_files(self) -> bool:
        """Tell whether a place on a server has files of somebody else, which free nothing."""
        if not any(is_remote(place.path) for place in Places(self._db).all()):
            return False
        return bool(self._db.execute("SELECT 1 FROM files WHERE owner = ? LIMIT 1", (SOMEBODY_ELSE,)).fetchone())

    def _taking_part(self, places: Collection[int] | None = None) -> str:
        """Return the condition on ``files f`` to be compared: of some places, or of all."""
        part = "f.digest IS NOT NULL" if "digest" in self._keys else "f.size > 0"
        if places is not None and len(places) < len(Places(self._db).all()):
            part += f" AND f.place IN ({','.join(map(str, sorted(places)))})"
        return part

    def _joined(self, table: str) -> str:
        """Return the SQL of the groups with their files; the order of the joins makes it fast."""
        agree = " AND ".join(f"f.{key} = s.{key}" for key in self._keys)
        return (
            f"temp.{table} s CROSS JOIN files f ON {agree} AND {self._taking_part()}"
            " JOIN temp.parts a ON a.place = f.place AND a.part = s.part"
        )

    def members(self, top: int | None = None, sidecars: bool | None = None) -> Iterator[Members]:
        """Yield the files of each group in the order asked for; of the first `top` groups, of all when None.

        `sidecars` takes only the groups of sidecars, or only the others; all when None.
        """
        kinds = {None: "1", True: "kind = 'sidecar'", False: "kind <> 'sidecar'"}[sidecars]
        places = Places(self._db).by_id()
        self._db.execute("DROP TABLE IF EXISTS temp.ranked")
        self._db.execute(
            f"CREATE TEMP TABLE ranked AS SELECT part, {', '.join(self._keys)}, reclaimable FROM temp.sets"
            f" WHERE {kinds} ORDER BY {_ORDERS[self._order]}, {', '.join(self._keys)}, part LIMIT ?",
            (-1 if top is None else top,),
        )
        for (_, part, reclaimable), group in groupby(self._of_ranked(), key=lambda row: row[:3]):
            yield Members(part, [stock_file(row[3:], places) for row in group], reclaimable)

    def _of_ranked(self) -> Iterator[tuple[Any, ...]]:
        """Yield the files of the ranked groups, in the order of these and then of path."""
        (count,) = self._db.execute("SELECT count(*) FROM temp.ranked").fetchone()
        for last in range(0, count, _PAGE):
            rows = self._db.execute(
                f"SELECT {self._NUMBER}, s.part, s.reclaimable, {FILE_COLUMNS} FROM {self._joined('ranked')}"
                f" JOIN folders d ON d.id = f.folder WHERE {self._NUMBER} > ? AND {self._NUMBER} <= ?",
                (last, last + _PAGE),
            ).fetchall()
            rows.sort(key=lambda row: (row[0], row[3], row[4]))
            yield from rows

    def by_place(self) -> dict[int, tuple[int, int]]:
        """Return, for each place with names of groups, how many lie there and their bytes."""
        return {number: counts for number, counts in self._by_place.items() if counts[0]}

    def copies(self, wanted: Filter) -> Iterator[tuple[int, int, bytes, int, tuple[int, int]]]:
        """Yield the names that fit, group by group: group, folder, name, size, identity of the file."""
        fits, values = condition(self._db, wanted)
        rows = self._db.execute(
            f"SELECT {self._NUMBER}, f.folder, f.name, f.size, f.volume, f.inode FROM {self._joined('sets')}"
            + (f" JOIN places p ON p.id = f.place JOIN folders d ON d.id = f.folder WHERE {fits}" if wanted else "")
            + self._IN_ORDER,
            values,
        )
        for group, folder, name, size, volume, inode in rows:
            yield group, folder, name, size, (volume, inode)

    def folders(self, wanted: Filter) -> Iterator[tuple[int, bytes, int, int]]:
        """Yield every folder: number, path, and of the files directly in it that fit how many, and their bytes.

        Empty files do not count.
        """
        fits, values = condition(self._db, wanted)
        return self._db.execute(
            "SELECT d.id, d.path, coalesce(n, 0), coalesce(bytes, 0) FROM folders d LEFT JOIN (SELECT f.folder,"
            f" count(*) AS n, sum(f.size) AS bytes FROM {FILTERABLE} WHERE f.size > 0 AND {fits}"
            " GROUP BY f.folder) ON folder = d.id",
            values,
        )

    def fitting_folders(self, wanted: Filter) -> set[bytes]:
        """Return the paths of the folders that fit the conditions on folders, places and roles."""
        fits, values = condition(self._db, Filter((), wanted.roles, wanted.places, wanted.under, wanted.not_under))
        return {
            path
            for (path,) in self._db.execute(
                f"SELECT d.path FROM folders d JOIN places p ON p.id = d.place WHERE {fits}", values
            )
        }

    def on_both_sides(
        self, pairs: Iterable[tuple[Collection[int], Collection[int]]], wanted: Filter | None = None
    ) -> tuple[int, int]:
        """Return how many contents lie in places of both sides of one of the pairs, and the bytes of one copy each.

        With a filter, only contents of which a file fits.
        """
        sides = [tuple(",".join(map(str, sorted(side))) for side in pair) for pair in pairs]
        if not sides:
            return (0, 0)
        both = " OR ".join(f"max(place IN ({here})) AND max(place IN ({there}))" for here, there in sides)
        fits, values = condition(self._db, wanted or Filter())
        some = f" AND digest IN (SELECT f.digest FROM {FILTERABLE} WHERE {fits})" if wanted else ""
        count, size = self._db.execute(
            "SELECT count(*), coalesce(sum(size), 0) FROM (SELECT max(size) AS size FROM files"
            f" WHERE digest IS NOT NULL{some} GROUP BY digest"
            f" HAVING {both})",
            values if wanted else (),
        ).fetchone()
        return count, size

    def places_of(self, digest: bytes) -> set[int]:
        """Return the numbers of the places that have a file of this content."""
        return {row[0] for row in self._db.execute("SELECT DISTINCT place FROM files WHERE digest = ?", (digest,))}

    def empty_files(self, wanted: Filter) -> int:
        """Return how many names that fit stand for empty files."""
        fits, values = condition(self._db, wanted)
        tables = FILTERABLE if wanted else "files f"
        (count,) = self._db.execute(f"SELECT count(*) FROM {tables} WHERE f.size = 0 AND {fits}", values).fetchone()
        return int(count)

    def paths_of(self, digest: bytes) -> list[bytes]:
        """Return the paths of the files with a content, in order."""
        rows = self._db.execute(
            "SELECT d.path, f.name FROM files f JOIN folders d ON d.id = f.folder WHERE f.digest = ?"
            " ORDER BY d.path, f.name",
            (digest,),
        )
        return [join(folder, name) for folder, name in rows]
