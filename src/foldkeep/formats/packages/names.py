"""The names in a tree of files, kept in a temporary database that goes to the disk when there are many of them."""

import os
import sqlite3
from collections.abc import Iterator
from typing import NamedTuple

from .bagit import BadPackage, composed

_MEMORY = 32 * 1024  # KiB, beyond which the database lies on the disk
_LONGEST = 32 * 1024  # bytes of a path
_MOST_MISSING = 1_000_000

_TABLES = f"""
PRAGMA journal_mode = OFF;
PRAGMA cache_size = -{_MEMORY};
CREATE TABLE names (key BLOB PRIMARY KEY, size INTEGER, start INTEGER) WITHOUT ROWID;
CREATE TABLE composed (form BLOB PRIMARY KEY, key BLOB) WITHOUT ROWID;
CREATE TABLE said (key BLOB, algorithm TEXT, digest BLOB, source TEXT, PRIMARY KEY (key, algorithm)) WITHOUT ROWID;
CREATE TABLE notes (what TEXT, key BLOB, note TEXT, PRIMARY KEY (what, key)) WITHOUT ROWID;
"""
_IN_ORDER = "SELECT key, size, start FROM names WHERE size IS NOT NULL AND key > ? AND key < ? ORDER BY key"
_LARGEST_FIRST = _IN_ORDER.replace("ORDER BY key", "ORDER BY size DESC")


class Named(NamedTuple):
    """A file in a tree: its path, its size in bytes, and where its content begins in the one file that holds it."""

    path: str
    size: int
    start: int


class Names:
    """Files and folders by their paths below one top, and the digests that manifests have for them.

    Paths are sorted step by step, so that what lies in a folder follows it.

    Attributes
    ----------
    files, bytes
        How many files there are, and the sum of their sizes.
    """

    def __init__(self) -> None:
        # An empty name: a database of our own on the disk, which is gone when it is closed. The lookups of one thread
        # after another are made under the interpreter's lock.
        self._db = sqlite3.connect("", isolation_level=None, check_same_thread=False)
        self._db.executescript(_TABLES)
        self._db.execute("BEGIN")  # which never ends: nothing of this is to outlive the process
        self.files = self.bytes = 0
        self._missing = 0

    def close(self) -> None:
        """Take the database away."""
        self._db.close()

    def add_file(self, path: str, size: int, start: int = 0) -> None:
        """Note a file; raise BadPackage if its path is there already, or longer than any system takes."""
        key = _key(path)
        try:
            self._db.execute("INSERT INTO names VALUES (?, ?, ?)", (key, size, start))
        except (sqlite3.IntegrityError, OverflowError) as error:
            raise BadPackage(f"it has {path!r} twice, or of a size that nobody has") from error
        if not path.isascii():
            form = os.fsencode(composed(path))
            self._db.execute("INSERT OR IGNORE INTO composed VALUES (?, ?)", (form, key))
        self.files += 1
        self.bytes += size

    def add_folder(self, path: str) -> None:
        """Note a folder; raise BadPackage if its path is that of a file."""
        if path in self:
            raise BadPackage(f"it has {path!r} twice")
        self._db.execute("INSERT OR IGNORE INTO names VALUES (?, NULL, 0)", (_key(path),))

    def __contains__(self, path: str) -> bool:
        return self.named(path) is not None

    def named(self, path: str) -> Named | None:
        """Return the file at a path; None if there is none."""
        row = self._db.execute(
            "SELECT size, start FROM names WHERE key = ? AND size IS NOT NULL", (_key(path),)
        ).fetchone()
        return Named(path, *row) if row else None

    def alike(self, path: str) -> str | None:
        """Return the path of the file whose name is the same in another normal form of Unicode; None without one."""
        if path.isascii():
            return None
        row = self._db.execute("SELECT key FROM composed WHERE form = ?", (os.fsencode(composed(path)),)).fetchone()
        return _path(row[0]) if row else None

    def has_below(self, folder: str) -> bool:
        """Tell whether a folder is there, or anything in it."""
        key = _key(folder)
        rows = self._db.execute("SELECT 1 FROM names WHERE key = ? OR (key > ? AND key < ?)", _range(key))
        return rows.fetchone() is not None

    def below(self, folder: str = "", *, largest_first: bool = False) -> Iterator[Named]:
        """Yield the files below a folder, in the order of their paths or of their sizes."""
        between = _range(_key(folder))[1:] if folder else (b"", b"\xff" * 8)
        rows = self._db.execute(_LARGEST_FIRST if largest_first else _IN_ORDER, between)
        return (Named(_path(key), size, start) for key, size, start in rows)

    def tags(self) -> Iterator[Named]:
        """Yield the files that lie in no folder."""
        rows = self._db.execute(
            "SELECT key, size, start FROM names WHERE size IS NOT NULL AND instr(key, x'00') = 0 ORDER BY key"
        )
        return (Named(_path(key), size, start) for key, size, start in rows)

    def totals(self, folder: str) -> tuple[int, int]:
        """Return how many files lie below a folder, and the sum of their sizes."""
        row = self._db.execute(
            "SELECT count(size), coalesce(sum(size), 0) FROM names WHERE key > ? AND key < ?", _range(_key(folder))[1:]
        ).fetchone()
        return int(row[0]), int(row[1])

    def check_shape(self) -> None:
        """Raise BadPackage if a file is the folder of another."""
        last = None
        for key, size in self._db.execute("SELECT key, size FROM names ORDER BY key"):
            if last is not None and key.startswith(last):
                raise BadPackage(f"it has {_path(last[:-1])!r} as a file and as a folder")
            if size is not None:
                last = key + b"\0"

    def say(self, path: str, algorithm: str, digest: bytes, source: str, *, once: bool) -> None:
        """Note the digest that a manifest has for a path.

        Raises BadPackage if another has a different one, if the same has it twice where that is not allowed, or if
        more than a million files are said to be there and are not.
        """
        key = _key(path)
        before = self._db.execute(
            "SELECT digest, source FROM said WHERE key = ? AND algorithm = ?", (key, algorithm)
        ).fetchone()
        if before is None:
            self._missing += path not in self
            if self._missing > _MOST_MISSING:
                raise BadPackage(f"{source} names more than {_MOST_MISSING:,} files that are not there")
            self._db.execute("INSERT INTO said VALUES (?, ?, ?, ?)", (key, algorithm, digest, source))
        elif before[1] == source and (once or before[0] != digest):
            raise BadPackage(f"{source} has {path!r} twice")
        elif before[0] != digest:
            raise BadPackage(f"the manifests contradict each other about {path!r}")

    def said(self, path: str) -> dict[str, str]:
        """Return the digests that manifests have for a path, in hexadecimal, by algorithm."""
        rows = self._db.execute("SELECT algorithm, digest FROM said WHERE key = ?", (_key(path),))
        return {algorithm: digest.hex() for algorithm, digest in rows}

    def unsaid(self, folder: str) -> Iterator[str]:
        """Yield the files below a folder that no manifest has."""
        rows = self._db.execute(
            "SELECT key FROM names WHERE size IS NOT NULL AND key > ? AND key < ?"
            " AND NOT EXISTS (SELECT 1 FROM said WHERE said.key = names.key) ORDER BY key",
            _range(_key(folder))[1:],
        )
        return (_path(key) for (key,) in rows)

    def note(self, what: str, path: str, note: str) -> None:
        """Note something about a path; raise BadPackage if that was noted before."""
        try:
            self._db.execute("INSERT INTO notes VALUES (?, ?, ?)", (what, _key(path), note))
        except (sqlite3.IntegrityError, UnicodeEncodeError) as error:
            raise BadPackage(f"it tells twice of {path!r}") from error

    def noted(self, what: str, path: str) -> str:
        """Return what was noted about a path; empty if nothing was."""
        row = self._db.execute("SELECT note FROM notes WHERE what = ? AND key = ?", (what, _key(path))).fetchone()
        return str(row[0]) if row else ""

    def missing(self) -> Iterator[str]:
        """Yield the paths that a manifest has, and that are not there."""
        rows = self._db.execute(
            "SELECT DISTINCT key FROM said WHERE NOT EXISTS"
            " (SELECT 1 FROM names WHERE names.key = said.key AND size IS NOT NULL) ORDER BY key"
        )
        return (_path(key) for (key,) in rows)


def _key(path: str) -> bytes:
    """Return what sorts a path step by step: NUL, which no name has, comes before all else."""
    try:
        key = os.fsencode(path).replace(b"/", b"\0")
    except UnicodeEncodeError as error:
        raise BadPackage(f"it has a path that no system has: {path[:40]!r}") from error
    if len(key) > _LONGEST:
        raise BadPackage(f"it has a path of more than {_LONGEST:,} bytes: {path[:40]!r}…")
    return key


def _path(key: bytes) -> str:
    return os.fsdecode(key.replace(b"\0", b"/"))


def _range(key: bytes) -> tuple[bytes, bytes, bytes]:
    """Return a folder's key, and the keys between which all lie that are in it."""
    return key, key + b"\0", key + b"\1"
