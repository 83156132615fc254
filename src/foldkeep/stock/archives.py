"""Packages of archived projects, and what is in them, so that they can be asked while their drive is in a cupboard."""

import sqlite3
from collections import Counter
from collections.abc import Iterable, Sequence
from typing import Any, NamedTuple

from .checks import Check, Checked, CheckResult, Checks

_COLUMNS = "id, package, made_at, project, key, made_ns, bytes, left_out, checked_ns, parts, set_key, displaced"


class Archived(NamedTuple):
    """A package.

    Attributes
    ----------
    id
        Its number in the stock.
    package
        Where it was last seen.
    made_at
        Where it was made; what was folded then names it by that.
    project
        The folder that was archived.
    key
        What the package says it is, wherever it lies.
    made_ns, checked_ns
        When it was made, and when all of it was last read and right; nanoseconds since the epoch.
    bytes
        The sum of the sizes of the files in it.
    left_out
        Bytes that can be made again, and are not in it.
    parts, set_key
        How many packages the project is in, and the key of the first of them; 1 and empty if this has all of it.
    is_displaced
        Whether another package was seen where this one was last, as where discs are read: it is not there.
    """

    id: int
    package: bytes
    made_at: bytes
    project: bytes
    key: str
    made_ns: int
    bytes: int
    left_out: int
    checked_ns: int
    parts: int = 1
    set_key: str = ""
    is_displaced: bool = False


class ArchivedFile(NamedTuple):
    """A file in a package, by the path that it was archived from."""

    path: bytes
    size: int
    modified_ns: int
    digest: bytes


class Archives:
    """Looks packages up, and writes them down."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._db = connection

    def add(self, archive: Archived, files: Iterable[ArchivedFile]) -> int:
        """Write a package and what is in it down; what is known of it already is replaced; return its number."""
        for (before,) in self._db.execute("SELECT id FROM archives WHERE key = ?", (archive.key,)).fetchall():
            self._db.execute("DELETE FROM archived_files WHERE archive = ?", (before,))
            self._db.execute("DELETE FROM archives WHERE id = ?", (before,))
        self._displace(archive.package, archive.key)
        (id_,) = self._db.execute(
            "INSERT INTO archives"
            " (package, made_at, project, key, made_ns, bytes, left_out, checked_ns, parts, set_key)"
            " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?) RETURNING id",
            (
                archive.package, archive.made_at, archive.project, archive.key, archive.made_ns, archive.bytes,
                archive.left_out, archive.checked_ns, archive.parts, archive.set_key,
            ),
        ).fetchone()  # fmt: skip
        self._note(archive.key, archive.checked_ns, CheckResult.RIGHT)
        self._db.executemany(
            "INSERT INTO archived_files (archive, path, size, modified_ns, digest) VALUES (?, ?, ?, ?, ?)",
            ((id_, file.path, file.size, file.modified_ns, file.digest) for file in files),
        )
        return int(id_)

    def all(self) -> list[Archived]:
        """Return the packages, the first made first."""
        return [_archived(row) for row in self._db.execute(f"SELECT {_COLUMNS} FROM archives ORDER BY made_ns, id")]

    def whole(self) -> dict[bytes, Archived]:
        """Return the last package of each project all of which is in packages that are known, by the project."""
        found, parts = {}, Counter[str]()
        for archive in self.all():
            parts[archive.set_key] += 1
            if archive.parts == 1 or parts[archive.set_key] == archive.parts:
                found[archive.project] = archive
        return found

    def files(self, archive: int) -> list[ArchivedFile]:
        """Return what is in a package, in order of path."""
        rows = self._db.execute(
            "SELECT path, size, modified_ns, digest FROM archived_files WHERE archive = ? ORDER BY path", (archive,)
        )
        return [ArchivedFile(*row) for row in rows]

    def files_of(self, key: str) -> list[ArchivedFile]:
        """Return what is in the package of a key."""
        return [file for archive in self.all() if archive.key == key for file in self.files(archive.id)]

    def has_size(self, size: int) -> bool:
        """Tell whether a file of a size is in any package."""
        return self._db.execute("SELECT 1 FROM archived_files WHERE size = ? LIMIT 1", (size,)).fetchone() is not None

    def holding(self, digest: bytes) -> list[tuple[Archived, bytes]]:
        """Return the packages that hold a content, each with the path that it was archived from."""
        columns = ", ".join(f"a.{column}" for column in _COLUMNS.split(", "))
        rows = self._db.execute(
            f"SELECT {columns}, f.path FROM archived_files f JOIN archives a ON a.id = f.archive WHERE f.digest = ?"
            " ORDER BY a.made_ns, f.path",
            (digest,),
        )
        return [(_archived(row[:-1]), row[-1]) for row in rows]

    def knows(self, key: str) -> bool:
        """Tell whether the package of a key is known."""
        return self._db.execute("SELECT 1 FROM archives WHERE key = ?", (key,)).fetchone() is not None

    def checked(self, key: str, package: bytes, now_ns: int) -> None:
        """Note that the package of a key was read and is right, and where it lies."""
        self._displace(package, key)
        self._note(key, now_ns, CheckResult.RIGHT)
        self._db.execute(
            "UPDATE archives SET package = ?, checked_ns = ?, displaced = 0 WHERE key = ?", (package, now_ns, key)
        )

    def found_damaged(self, package: bytes, now_ns: int) -> None:
        """Note that what lies at the path of a package was read and is not what it should be."""
        rows = self._db.execute("SELECT key FROM archives WHERE package = ? AND NOT displaced", (package,))
        for (key,) in rows.fetchall():
            self._note(key, now_ns, CheckResult.DAMAGED)

    def _note(self, key: str, now_ns: int, result: CheckResult) -> None:
        right_ns = now_ns if result is CheckResult.RIGHT else None
        Checks(self._db).put([Check(Checked.PACKAGE, key.encode(), now_ns, result, right_ns)])

    def _displace(self, package: bytes, key: str) -> None:
        """Note that what was seen at a path lies there no more, since another package does."""
        self._db.execute(
            "UPDATE archives SET package = CAST(package || x'00' || key AS BLOB), displaced = 1"
            " WHERE package = ? AND key <> ?",
            (package, key),
        )


def _archived(row: Sequence[Any]) -> Archived:
    found = Archived(*row)
    return found._replace(package=found.package.partition(b"\0")[0], is_displaced=bool(found.is_displaced))
