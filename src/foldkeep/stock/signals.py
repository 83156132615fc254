"""What was measured of contents, kept by digest, so that each is measured once by each extractor."""

import json
import sqlite3
from collections.abc import Collection, Iterable, Iterator, Mapping
from itertools import groupby
from typing import Any, NamedTuple

from foldkeep.model import PathBytes, StockFile

from .files import FILE_COLUMNS, join, stock_file
from .filtering import DAMAGED, Shared, below_any, numbers
from .places import Places


class Signal(NamedTuple):
    """Finding of an extractor in a content: plain values, and why not all of it could be read, empty if it could."""

    values: dict[str, Any]
    problem: str = ""


class Unmeasured(NamedTuple):
    """A content that an extractor was not asked of, and a file that has it, as the stock knows it."""

    digest: bytes
    path: bytes
    kind: str
    size: int
    modified_ns: int


class KnownSignals:
    """Signals by digest and extractor; those of another version of the extractor count as not known."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._db = connection

    def of(self, digest: bytes, extractor: str, version: int) -> Signal | None:
        """Return what a version of an extractor found in a content, or None if it was not asked."""
        row = self._db.execute(
            "SELECT value, problem FROM signals WHERE digest = ? AND extractor = ? AND version = ?",
            (digest, extractor, version),
        ).fetchone()
        return Signal(json.loads(row[0]), row[1]) if row else None

    def lacking(
        self,
        extractor: str,
        version: int,
        kinds: Iterable[str],
        places: Iterable[int],
        shared: Shared = Shared.ANYTHING,
    ) -> list[Unmeasured]:
        """Return the contents in places that a version of an extractor was not asked of, each by one of its files.

        A content is asked under a name that agrees with its first bytes, where it has one.
        """
        return self._contents(
            kinds,
            places,
            f"{shared} AND NOT EXISTS (SELECT 1 FROM signals s WHERE s.digest = f.digest AND s.extractor = ?"
            " AND s.version = ?)",
            (extractor, version),
        )

    def contents(
        self, kinds: Iterable[str], places: Iterable[int], under: Collection[PathBytes] = ()
    ) -> list[Unmeasured]:
        """Return the contents of some kinds in places, each by one of its files; if named, only `under` folders."""
        return self._contents(kinds, places, *below_any(under))

    def _contents(
        self, kinds: Iterable[str], places: Iterable[int], condition: str, values: tuple[object, ...]
    ) -> list[Unmeasured]:
        kinds = tuple(kinds)
        rows = self._db.execute(
            # SQLite takes the bare columns from the row that has the least (lang_select, 2.5).
            "SELECT f.digest, d.path, f.name, f.kind, f.size, f.modified_ns, min(f.content IS NOT NULL) FROM files f"
            " JOIN folders d ON d.id = f.folder WHERE f.digest IS NOT NULL AND f.size > 0"
            f" AND f.kind IN ({','.join('?' * len(kinds))}) AND f.place IN ({numbers(places)}) AND {condition}"
            " GROUP BY f.digest ORDER BY d.path, f.name",
            (*kinds, *values),
        )
        return [Unmeasured(digest, join(folder, name), *rest) for digest, folder, name, *rest, _ in rows]

    def agreeing(
        self, extractor: str, version: int, name: str
    ) -> Iterator[tuple[str, dict[bytes, dict[str, Any]], list[StockFile]]]:
        """Yield what a version of an extractor found alike in several contents: the value of that name, all that is
        known by content, and the files by path.
        """
        places = Places(self._db).by_id()
        rows = self._db.execute(
            f"SELECT json_extract(s.value, '$.{name}') AS found, s.value, {FILE_COLUMNS} FROM signals s"
            " JOIN files f ON f.digest = s.digest JOIN folders d ON d.id = f.folder JOIN places p ON p.id = f.place"
            " WHERE s.extractor = ? AND s.version = ? AND found IN ("
            f" SELECT json_extract(value, '$.{name}') AS e FROM signals WHERE extractor = ? AND version = ?"
            " AND e IS NOT NULL GROUP BY e HAVING count(*) > 1) ORDER BY found, d.path, f.name",
            (extractor, version, extractor, version),
        ).fetchall()
        for found, group in groupby(rows, key=lambda row: row[0]):
            files, known = list[StockFile](), dict[bytes, dict[str, Any]]()
            for _, value, *columns in group:
                file = stock_file(tuple(columns), places)
                files.append(file)
                if file.digest is not None and file.digest not in known:
                    known[file.digest] = json.loads(value)
            if len(known) > 1:
                yield found, known, files

    def damage(self) -> dict[bytes, str]:
        """Return the contents that something was found wrong with, and what."""
        rows = self._db.execute(
            f"SELECT digest, problem FROM signals WHERE {DAMAGED} ORDER BY extractor = 'damage' DESC"
        )
        found: dict[bytes, str] = {}
        for digest, problem in rows:
            found.setdefault(digest, problem)
        return found

    def put(self, found: Mapping[bytes, Signal], extractor: str, version: int) -> None:
        """Write down what an extractor found, by digest."""
        self._db.executemany(
            "INSERT OR REPLACE INTO signals (digest, extractor, version, value, problem) VALUES (?, ?, ?, ?, ?)",
            (
                (digest, extractor, version, json.dumps(signal.values), signal.problem)
                for digest, signal in found.items()
            ),
        )
