"""Packages of archived projects, and what is in them, so that they can be asked while their drive is in a cupboard."""

import sqlite3
from collections.abc import Iterable
from dataclasses import dataclass

_COLUMNS = "id, package, made_at, project, key, made_ns, bytes, left_out, checked_ns"


@dataclass(frozen=True, slots=True)
class Archived:
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


@dataclass(frozen=True, slots=True)
class ArchivedFile:
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
        """Write a package and what is in it down, in place of one that lay there before; return its number."""
        for (before,) in self._db.execute("SELECT id FROM archives WHERE package = ?", (archive.package,)).fetchall():
            self._db.execute("DELETE FROM archived_files WHERE archive = ?", (before,))
            self._db.execute("DELETE FROM archives WHERE id = ?", (before,))
        (id_,) = self._db.execute(
            "INSERT INTO archives (package, made_at, project, key, made_ns, bytes, left_out, checked_ns)"
            " VALUES (?, ?, ?, ?, ?, ?, ?, ?) RETURNING id",
            (
                archive.package, archive.made_at, archive.project, archive.key,
                archive.made_ns, archive.bytes, archive.left_out, archive.checked_ns,
            ),
        ).fetchone()  # fmt: skip
        self._db.executemany(
            "INSERT INTO archived_files (archive, path, size, modified_ns, digest) VALUES (?, ?, ?, ?, ?)",
            ((id_, file.path, file.size, file.modified_ns, file.digest) for file in files),
        )
        return int(id_)

    def all(self) -> list[Archived]:
        """Return the packages, the first made first."""
        return [Archived(*row) for row in self._db.execute(f"SELECT {_COLUMNS} FROM archives ORDER BY made_ns, id")]

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
        return [(Archived(*row[:-1]), row[-1]) for row in rows]

    def checked(self, key: str, package: bytes, now_ns: int) -> None:
        """Note that the package of a key was read and is right, and where it lies."""
        self._db.execute(
            "UPDATE archives SET package = ?, checked_ns = ? WHERE key = ? AND NOT EXISTS"
            " (SELECT 1 FROM archives b WHERE b.package = ? AND b.key <> ?)",
            (package, now_ns, key, package, key),
        )
