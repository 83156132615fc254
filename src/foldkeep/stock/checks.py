"""When things were last found right: files in places, packages, and what waits in folds."""

import sqlite3
from collections.abc import Iterable, Iterator
from enum import StrEnum
from itertools import chain
from typing import NamedTuple

from foldkeep.model.work import in_blocks

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
    ids
        The numbers of its names in the stock: its own first, then those of its hard links.
    digest
        Of its content when it was read last; None if it never was, whole.
    changed_ns
        The time of its last status change when it was read; None where that does not tell.
    checked_ns
        When it was last checked; 0 if never.
    """

    ids: tuple[int, ...]
    path: bytes
    size: int
    modified_ns: int
    inode: int
    place: int
    kind: str
    digest: bytes | None
    changed_ns: int | None
    checked_ns: int


_ROWS = 64  # that are written at once
_COLUMNS = "kind, subject, checked_ns, result, right_ns, expected, found"
_TOLD = ("ends", "content", "extent", "outline", "form")  # by a content that may be another now
_FILE_PATH = "CAST(iif(d.path = x'2F', x'', d.path) || x'2F' || f.name AS BLOB)"


class Checks:
    """Looks checks up, and writes them down."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._db = connection

    def put(self, checks: Iterable[Check]) -> None:
        """Write checks down, each over the one before of the same thing; when that was right last is kept."""
        # One statement for many rows: the interpreter's lock is handed over at each, while others read files.
        for rows in in_blocks(checks, _ROWS):
            self._db.execute(
                f"INSERT INTO checks ({_COLUMNS}) VALUES {', '.join(['(?, ?, ?, ?, ?, ?, ?)'] * len(rows))}"
                " ON CONFLICT (kind, subject) DO UPDATE SET checked_ns = excluded.checked_ns, result = excluded.result,"
                " right_ns = coalesce(excluded.right_ns, right_ns), expected = excluded.expected,"
                " found = excluded.found",
                tuple(chain.from_iterable(rows)),
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
        self._db.execute("DROP TABLE IF EXISTS temp.linked")
        # To look for the other names of each file as it is read would take the square.
        self._db.execute(
            "CREATE TEMP TABLE linked AS SELECT volume, inode, group_concat(id) AS ids FROM files"
            " GROUP BY volume, inode HAVING count(*) > 1"
        )
        self._db.execute("CREATE INDEX temp.linked_by_inode ON linked (volume, inode)")
        self._db.execute(
            f"CREATE TEMP TABLE due AS SELECT f.id, {_FILE_PATH} AS path, f.size, f.modified_ns, f.inode, f.place,"
            " f.kind, f.digest, f.read_changed_ns, max(coalesce(c.checked_ns, 0)) AS checked_ns, l.ids"
            " FROM files f JOIN folders d ON d.id = f.folder"
            f" LEFT JOIN checks c ON c.kind = 'file' AND c.subject = {_FILE_PATH}"
            " LEFT JOIN temp.linked l ON l.volume = f.volume AND l.inode = f.inode"
            f" WHERE f.size > 0 AND f.place IN ({numbers(places)})"
            " GROUP BY f.volume, f.inode ORDER BY checked_ns, f.digest IS NULL, f.volume, f.inode"
        )
        last = 0
        while page := self._db.execute(
            "SELECT rowid, * FROM temp.due WHERE rowid > ? ORDER BY rowid LIMIT 1024", (last,)
        ).fetchall():
            for _, number, *row, names in page:
                others = (each for each in map(int, names.split(",")) if each != number) if names else ()
                yield Due((number, *others), *row)
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

    def paths_of(self, names: Iterable[int]) -> list[bytes]:
        """Return the paths of files by their numbers, in order."""
        rows = (
            self._db.execute(
                f"SELECT {_FILE_PATH} FROM files f JOIN folders d ON d.id = f.folder WHERE f.id = ?", (number,)
            ).fetchone()
            for number in names
        )
        return sorted(row[0] for row in rows if row)

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

    def set_contents(self, contents: Iterable[tuple[tuple[int, ...], bytes, int | None]]) -> None:
        """Write down contents as they were read now; what was told by another content is dropped.

        Of each file: the numbers of all its names, the digest, and the time of its last status change (None where that
        does not tell).
        """
        self._db.executemany(
            f"UPDATE files SET {', '.join(f'{column} = iif(digest = :digest, {column}, NULL)' for column in _TOLD)},"
            " digest = :digest, read_changed_ns = :changed WHERE id = :number",
            (
                {"digest": digest, "changed": changed_ns, "number": number}
                for names, digest, changed_ns in contents
                for number in names
            ),
        )
