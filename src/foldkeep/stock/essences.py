"""Essences of files: which files may have one in common, and which have."""

import json
import sqlite3
from collections.abc import Collection, Iterable, Iterator
from itertools import groupby
from typing import Any

from foldkeep.model import StockFile

from .contents import Reading
from .files import FILE_COLUMNS, join, stock_file
from .filtering import SHARED_OUTLINE, numbers
from .places import Places
from .signals import Unmeasured


class Essences:
    """Outlines of files, and the essences of contents."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._db = connection

    def to_outline(self, version: int, kinds: Collection[str], places: Collection[int]) -> list[Reading]:
        """Return the files in places of which a version of the extractor was not asked for an outline."""
        rows = self._db.execute(
            "SELECT f.id, d.path, f.name, f.size, f.modified_ns, f.volume, f.inode FROM files f"
            " JOIN folders d ON d.id = f.folder WHERE f.size > 0"
            " AND (f.outline IS NULL OR substr(f.outline, 1, 1) <> ?)"
            f" AND f.kind IN ({','.join('?' * len(kinds))}) AND f.place IN ({numbers(places)})"
            " ORDER BY f.volume, f.inode",
            (bytes([version]), *kinds),
        )
        found = []
        for _, links in groupby(rows, key=lambda row: row[5:]):
            names = list(links)
            _, folder, name, size, modified_ns, _, inode = names[0]
            found.append(Reading(tuple(row[0] for row in names), join(folder, name), size, modified_ns, inode))
        return found

    def put_outlines(self, version: int, found: Iterable[tuple[Reading, bytes]]) -> None:
        """Write outlines down; an empty one says that a file has no essence."""
        self._db.executemany(
            "UPDATE files SET outline = ? WHERE id = ?",
            ((bytes([version]) + outline, number) for reading, outline in found for number in reading.ids),
        )

    def lacking(self, extractor: str, version: int, places: Collection[int]) -> list[Unmeasured]:
        """Return the contents in places that may have the essence of another, but were not asked for it."""
        rows = self._db.execute(
            "SELECT f.digest, d.path, f.name, f.kind, f.size, f.modified_ns FROM files f"
            f" JOIN folders d ON d.id = f.folder WHERE f.digest IS NOT NULL AND {SHARED_OUTLINE}"
            f" AND f.place IN ({numbers(places)}) AND NOT EXISTS (SELECT 1 FROM signals s WHERE s.digest = f.digest"
            " AND s.extractor = ? AND s.version = ?) GROUP BY f.digest ORDER BY d.path, f.name",
            (extractor, version),
        )
        return [Unmeasured(digest, join(folder, name), *rest) for digest, folder, name, *rest in rows]

    def paths_of(self, extractor: str, version: int, essence: bytes) -> list[bytes]:
        """Return the paths of the files that are known to have an essence, in order."""
        rows = self._db.execute(
            "SELECT d.path, f.name FROM signals s JOIN files f ON f.digest = s.digest"
            " JOIN folders d ON d.id = f.folder WHERE s.extractor = ? AND s.version = ?"
            " AND json_extract(s.value, '$.essence') = ? ORDER BY d.path, f.name",
            (extractor, version, essence.hex()),
        )
        return [join(folder, name) for folder, name in rows]

    def sets(
        self, extractor: str, version: int
    ) -> Iterator[tuple[bytes, dict[bytes, dict[str, Any]], list[StockFile]]]:
        """Yield the essences that several contents have: digest, what is known by content, and the files by path."""
        places = Places(self._db).by_id()
        rows = self._db.execute(
            f"SELECT json_extract(s.value, '$.essence') AS essence, s.value, {FILE_COLUMNS} FROM signals s"
            " JOIN files f ON f.digest = s.digest JOIN folders d ON d.id = f.folder JOIN places p ON p.id = f.place"
            " WHERE s.extractor = ? AND s.version = ? AND essence IN ("
            " SELECT json_extract(value, '$.essence') AS e FROM signals WHERE extractor = ? AND version = ?"
            " AND e IS NOT NULL GROUP BY e HAVING count(*) > 1) ORDER BY essence, d.path, f.name",
            (extractor, version, extractor, version),
        ).fetchall()
        for essence, group in groupby(rows, key=lambda row: row[0]):
            files, known = list[StockFile](), dict[bytes, dict[str, Any]]()
            for _, value, *columns in group:
                file = stock_file(tuple(columns), places)
                files.append(file)
                if file.digest is not None and file.digest not in known:
                    known[file.digest] = json.loads(value)
            if len(known) > 1:
                yield bytes.fromhex(essence), known, files
