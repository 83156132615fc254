"""When things were last found right: files in places, packages, and what waits in folds."""

import sqlite3
from collections.abc import Iterable, Iterator
from enum import StrEnum
from typing import NamedTuple

from .filtering import numbers


class CheckResult(StrEnum):
    """Results of reading something again."""

    RIGHT = "right"
    DAMAGED = "damaged"  # another content, though no time of it changed
    CHANGED = "changed"  # another content, and it cannot be told whether somebody wrote it
    EDITED = "edited"  # another content, with the essence it had
    UNREADABLE = "unreadable"


class Checked(StrEnum):
    """Kinds of what is checked."""

    FILE = "file"  # by its path
    PACKAGE = "package"  # by its key
    FOLDED = "folded"  # by the path that it was folded from


class Check(NamedTuple):
    """The last check of one thing.

    Attributes
    ----------
    subject
        What was checked: a path, or the key of a package.
    checked_ns
        When, in nanoseconds since the epoch.
    right_ns
        When it was last found right; None if never.
    expected, found
        BLAKE3 of the content that it had, and of the one it had then; empty where that is not known.
    """

    kind: Checked
    subject: bytes
    checked_ns: int
    result: CheckResult
    right_ns: int | None = None
    expected: bytes = b""
    found: bytes = b""


class Due(NamedTuple):
    """A file that is to be read again.

    Attributes
    ----------
    id
        Its number in the stock.
    digest
        Of its content when it was read last; None if it never was, whole.
    changed_ns
        The time of its last status change when it was read; None where that does not tell.
    checked_ns
        When it was last checked; 0 if never.
    """

    id: int
    path: bytes
    size: int
    modified_ns: int
    inode: int
    place: int
    kind: str
    digest: bytes | None
    changed_ns: int | None
    checked_ns: int


_COLUMNS = "kind, subject, checked_ns, result, right_ns, expected, found"
_TOLD = ("ends", "content", "extent", "outline", "form")  # by a content that may be another now
_FILE_PATH = "CAST(iif(d.path = x'2F', x'', d.path) || x'2F' || f.name AS BLOB)"


class Checks:
    """Looks checks up, and writes them down."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._db = connection

    def put(self, checks: Iterable[Check]) -> None:
        """Write checks down, each over the one before of the same thing; when that was right last is kept."""
        self._db.executemany(
            f"INSERT INTO checks ({_COLUMNS}) VALUES (?, ?, ?, ?, ?, ?, ?) ON CONFLICT (kind, subject) DO UPDATE SET"
            " checked_ns = excluded.checked_ns, result = excluded.result,"
            " right_ns = coalesce(excluded.right_ns, right_ns), expected = excluded.expected, found = excluded.found",
            (
                (each.kind, each.subject, each.checked_ns, each.result, each.right_ns, each.expected, each.found)
                for each in checks
            ),
        )

    def of(self, kind: Checked, results: Iterable[CheckResult] = tuple(CheckResult)) -> dict[bytes, Check]:
        """Return the last checks of a kind with some results, by subject."""
        wanted = tuple(results)
        rows = self._db.execute(
            f"SELECT {_COLUMNS} FROM checks WHERE kind = ? AND result IN ({','.join('?' * len(wanted))})"
            " ORDER BY subject",
            (kind, *wanted),
        )
        return {row[1]: Check(Checked(row[0]), row[1], row[2], CheckResult(row[3]), *row[4:]) for row in rows}

    def damaged(self) -> dict[bytes, Check]:
        """Return the checks of the files that were found damaged and still have the content that they had then.

        Of one that could not be read, the stock has the content still that it had before.
        """
        found = self.of(Checked.FILE, [CheckResult.DAMAGED, CheckResult.UNREADABLE])
        return {
            path: check for path, check in found.items() if self._digest_at(path) in (check.found or check.expected,)
        }

    def _digest_at(self, path: bytes) -> bytes | None:
        folder, _, name = path.rpartition(b"/")
        row = self._db.execute(
            "SELECT f.digest FROM files f JOIN folders d ON d.id = f.folder WHERE d.path = ? AND f.name = ?",
            (folder or b"/", name),
        ).fetchone()
        return row[0] if row else None

    def due(self, places: Iterable[int]) -> Iterator[Due]:
        """Yield the files of places, those not checked for the longest first; hard links of one file once.

        What was read whole before comes before what never was.
        """
        self._db.execute("DROP TABLE IF EXISTS temp.due")
        self._db.execute(
            f"CREATE TEMP TABLE due AS SELECT f.id, {_FILE_PATH} AS path, f.size, f.modified_ns, f.inode, f.place,"
            " f.kind, f.digest, f.read_changed_ns, max(coalesce(c.checked_ns, 0)) AS checked_ns, f.volume"
            " FROM files f JOIN folders d ON d.id = f.folder"
            f" LEFT JOIN checks c ON c.kind = 'file' AND c.subject = {_FILE_PATH}"
            f" WHERE f.size > 0 AND f.place IN ({numbers(places)})"
            " GROUP BY f.volume, f.inode ORDER BY checked_ns, f.digest IS NULL, f.volume, f.inode"
        )
        last = 0
        while page := self._db.execute(
            "SELECT rowid, * FROM temp.due WHERE rowid > ? ORDER BY rowid LIMIT 1024", (last,)
        ).fetchall():
            yield from (Due(*row[1:-1]) for row in page)
            last = page[-1][0]

    def unread_since(self, before_ns: int) -> tuple[int, int]:
        """Return how many files were not read again since a moment, and their bytes.

        Those that never were count if they are older than that, and were first scanned before.
        """
        (known_ns,) = self._db.execute("SELECT min(started_ns) FROM scans").fetchone()
        never = "f.modified_ns < :before" if known_ns is not None and known_ns < before_ns else "0"
        (any_,) = self._db.execute("SELECT EXISTS (SELECT 1 FROM checks WHERE kind = 'file')").fetchone()
        if not any_:
            return self._summed(f"files f WHERE f.size > 0 AND {never}", before_ns)
        return self._summed(
            f"files f JOIN folders d ON d.id = f.folder LEFT JOIN checks c ON c.kind = 'file' AND c.subject ="
            f" {_FILE_PATH} WHERE f.size > 0 AND iif(c.checked_ns IS NULL, {never}, c.checked_ns < :before)",
            before_ns,
        )

    def _summed(self, tables: str, before_ns: int) -> tuple[int, int]:
        count, size = self._db.execute(
            f"SELECT count(*), coalesce(sum(size), 0) FROM (SELECT f.size AS size FROM {tables}"
            " GROUP BY f.volume, f.inode)",
            {"before": before_ns},
        ).fetchone()
        return count, size

    def names_of(self, number: int) -> list[bytes]:
        """Return the paths of a file by its number: its own, and those of its other names (hard links)."""
        rows = self._db.execute(
            f"SELECT {_FILE_PATH} AS path FROM files f JOIN folders d ON d.id = f.folder"
            " WHERE (f.volume, f.inode) = (SELECT volume, inode FROM files WHERE id = ?) AND f.size ="
            " (SELECT size FROM files WHERE id = ?) ORDER BY path",
            (number, number),
        )
        return [path for (path,) in rows]

    def others_beside(self, number: int, place: int, most: int) -> list[bytes]:
        """Return the paths of up to so many other files of a place, from all over it."""
        rows = self._db.execute(
            f"SELECT {_FILE_PATH} FROM files f JOIN folders d ON d.id = f.folder WHERE f.place = ? AND f.size > 0"
            " AND (f.volume, f.inode) <> (SELECT volume, inode FROM files WHERE id = ?)"
            " ORDER BY (f.id * 2654435761) % 4294967296 LIMIT ?",
            (place, number, most),
        )
        return [path for (path,) in rows]

    def due_sum(self) -> tuple[int, int]:
        """Return how many files `due` has found, and their bytes; it must have been begun."""
        count, size = self._db.execute("SELECT count(*), coalesce(sum(size), 0) FROM temp.due").fetchone()
        return count, size

    def set_content(self, number: int, digest: bytes, changed_ns: int | None) -> None:
        """Write down the content of a file, and of its other names, as it was read now."""
        self._db.execute(
            f"UPDATE files SET {', '.join(f'{column} = iif(digest = :digest, {column}, NULL)' for column in _TOLD)},"
            " digest = :digest, read_changed_ns = :changed WHERE (volume, inode) ="
            " (SELECT volume, inode FROM files WHERE id = :number)",
            {"digest": digest, "changed": changed_ns, "number": number},
        )
