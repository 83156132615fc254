"""What files told when only their beginnings were read: by it others are found that may agree with them."""

import sqlite3
from collections.abc import Collection, Iterable, Iterator
from itertools import groupby

from .contents import Reading
from .files import join
from .filtering import CONTENT, numbers


class Beginnings:
    """One thing that files tell by their beginnings, kept with the version of the extractor that asked for it.

    Parameters
    ----------
    column
        That holds it, ``outline`` or ``form``.
    """

    def __init__(self, connection: sqlite3.Connection, column: str) -> None:
        self._db = connection
        self._column = column

    def lacking(self, version: int, kinds: Collection[str], places: Collection[int]) -> list[Reading]:
        """Return the files in places that a version of the extractor was not asked of."""
        rows = self._db.execute(
            "SELECT f.id, d.path, f.name, f.size, f.modified_ns, f.volume, f.inode FROM files f"
            " JOIN folders d ON d.id = f.folder WHERE f.size > 0"
            f" AND (f.{self._column} IS NULL OR substr(f.{self._column}, 1, 1) <> ?)"
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

    def put(self, version: int, found: Iterable[tuple[Reading, bytes]]) -> None:
        """Write down what files told; empty for one that has nothing to tell."""
        self._db.executemany(
            f"UPDATE files SET {self._column} = ? WHERE id = ?",
            ((bytes([version]) + told, number) for reading, told in found for number in reading.ids),
        )


class Outlines(Beginnings):
    """The outlines of files."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        super().__init__(connection, "outline")


class Forms(Beginnings):
    """The forms of files, of which nobody but who made them can tell which may agree."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        super().__init__(connection, "form")

    def known(self, version: int, places: Collection[int]) -> Iterator[tuple[int, bytes, bytes]]:
        """Yield number, content and form of the files in places that have a form."""
        yield from self._db.execute(
            f"SELECT f.id, {CONTENT.format('f.')}, substr(f.form, 2) FROM files f"
            f" WHERE length(f.form) > 1 AND substr(f.form, 1, 1) = ? AND f.place IN ({numbers(places)})",
            (bytes([version]),),
        )

    def mark(self, files: Iterable[int]) -> None:
        """Remember, until the stock is closed, the numbers of the files that may agree with another content."""
        self._db.execute("CREATE TEMP TABLE IF NOT EXISTS may_agree (id INTEGER PRIMARY KEY)")
        self._db.execute("DELETE FROM temp.may_agree")
        self._db.executemany("INSERT INTO temp.may_agree VALUES (?)", ((number,) for number in files))
