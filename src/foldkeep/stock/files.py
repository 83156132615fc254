"""The files of a stock: what scans write into it and what finders read from it."""

import sqlite3
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from itertools import groupby

from foldkeep.model import Place, Role, StockFile

from .places import Places

# More than one file has this size (or these ends): the least and the greatest inode or volume differ.
_MORE_THAN_ONE_FILE = "(min(f.inode) <> max(f.inode) OR min(d.volume) <> max(d.volume))"
_UNCHANGED = "size = excluded.size AND modified_ns = excluded.modified_ns AND inode = excluded.inode"
_BATCH = 512


@dataclass(frozen=True, slots=True)
class Sighting:
    """What a scan saw of one name in a folder."""

    name: bytes
    kind: str
    size: int
    modified_ns: int
    inode: int
    links: int


@dataclass(frozen=True, slots=True)
class Reading:
    """A file whose content a scan should read: one job for all the hard links of one file.

    `ids` are the stock's numbers of its names, `path` is one of them.
    """

    ids: tuple[int, ...]
    path: bytes
    size: int
    modified_ns: int
    inode: int


@dataclass(frozen=True, slots=True)
class Backlog:
    """What a scan has to read: how many files, of how many bytes in all, and which."""

    files: int
    bytes: int
    readings: Iterator[Reading]


class Files:
    """The files that scans have seen."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._db = connection

    # -- written by scans ---------------------------------------------------------------------------

    def new_scan(self, started_ns: int) -> int:
        """Return the number of a new scan."""
        (id_,) = self._db.execute(
            "INSERT INTO scans (started_ns) VALUES (?) RETURNING id", (started_ns,)
        ).fetchone()
        return int(id_)

    def enter_folder(self, path: bytes, place: Place, volume: int, scan: int) -> int:
        """Note that a scan looks into a folder, and return the folder's number."""
        (id_,) = self._db.execute(
            "INSERT INTO folders (path, place, volume, scan) VALUES (?, ?, ?, ?) ON CONFLICT (path) "
            "DO UPDATE SET place = excluded.place, volume = excluded.volume, scan = excluded.scan RETURNING id",
            (path, place.id, volume, scan),
        ).fetchone()
        return int(id_)

    def in_folder(self, folder: int) -> dict[bytes, Sighting]:
        """Return what is known of the files directly in a folder, by name."""
        rows = self._db.execute(
            "SELECT name, kind, size, modified_ns, inode, links FROM files WHERE folder = ?", (folder,)
        )
        return {row[0]: Sighting(*row) for row in rows}

    def put(self, folder: int, sightings: Iterable[Sighting]) -> None:
        """Write new and changed files of a folder; what was known of changed contents is dropped."""
        self._db.executemany(
            "INSERT INTO files (folder, name, kind, size, modified_ns, inode, links) VALUES (?, ?, ?, ?, ?, ?, ?)"
            " ON CONFLICT (folder, name) DO UPDATE SET kind = excluded.kind, links = excluded.links,"
            f" ends = iif({_UNCHANGED}, ends, NULL), digest = iif({_UNCHANGED}, digest, NULL),"
            " size = excluded.size, modified_ns = excluded.modified_ns, inode = excluded.inode",
            ((folder, s.name, s.kind, s.size, s.modified_ns, s.inode, s.links) for s in sightings),
        )

    def drop(self, folder: int, names: Iterable[bytes]) -> None:
        """Forget files of a folder."""
        self._db.executemany("DELETE FROM files WHERE folder = ? AND name = ?", ((folder, name) for name in names))

    def drop_folders_below(self, path: bytes, before_scan: int, spared: Iterable[bytes]) -> None:
        """Forget the folders at and below `path` that no scan since `before_scan` looked into.

        Folders at and below those in `spared` stay: they could not be looked into, which is not gone.
        """
        stale = [
            (id_, folder)
            for id_, folder in self._db.execute(
                f"SELECT id, path FROM folders WHERE {_BELOW} AND scan < ?", (*_below(path), before_scan)
            )
            if not any(folder == kept or folder.startswith(kept + b"/") for kept in spared)
        ]
        self._db.executemany("DELETE FROM files WHERE folder = ?", ((id_,) for id_, _ in stale))
        self._db.executemany("DELETE FROM folders WHERE id = ?", ((id_,) for id_, _ in stale))

    def to_read_ends(self) -> Backlog:
        """Return the files that share their size with another and of which nothing was read yet."""
        return self._backlog(
            "f.ends IS NULL AND f.digest IS NULL AND f.size > 0 AND f.size IN (SELECT f.size FROM files f"
            f" JOIN folders d ON d.id = f.folder GROUP BY f.size HAVING {_MORE_THAN_ONE_FILE})"
        )

    def to_read_whole(self) -> Backlog:
        """Return the files not yet read whole that share size and ends with another."""
        return self._backlog(
            "f.digest IS NULL AND f.ends IS NOT NULL AND (f.size, f.ends) IN (SELECT f.size, f.ends FROM files f"
            f" JOIN folders d ON d.id = f.folder WHERE f.ends IS NOT NULL GROUP BY f.size, f.ends HAVING"
            f" {_MORE_THAN_ONE_FILE})"
        )

    def _backlog(self, condition: str) -> Backlog:
        # The work is set down in a table of its own first: results are written while it is read.
        self._db.execute("DROP TABLE IF EXISTS temp.work")
        self._db.execute(
            "CREATE TEMP TABLE work AS SELECT f.id, d.path AS folder, f.name, f.size, f.modified_ns,"
            f" d.volume, f.inode FROM files f JOIN folders d ON d.id = f.folder WHERE {condition}"
            " ORDER BY f.size DESC, d.volume, f.inode"
        )
        count, size = self._db.execute(
            "SELECT count(*), coalesce(sum(size), 0) FROM (SELECT size FROM temp.work GROUP BY volume, inode)"
        ).fetchone()
        return Backlog(count, size, self._readings())

    def _readings(self) -> Iterator[Reading]:
        for _, links in groupby(self._pages("temp.work"), key=lambda row: (row[6], row[7])):
            rows = list(links)
            _, _, folder, name, size, modified_ns, _, inode = rows[0]
            yield Reading(tuple(row[1] for row in rows), _join(folder, name), size, modified_ns, inode)

    def _pages(self, table: str) -> Iterator[tuple]:  # type: ignore[type-arg]
        """Yield every row of a table by pages, so that no cursor stays open over a write."""
        last = 0
        while page := self._db.execute(
            f"SELECT rowid, * FROM {table} WHERE rowid > ? ORDER BY rowid LIMIT {_BATCH}", (last,)
        ).fetchall():
            yield from page
            last = page[-1][0]

    def set_ends(self, ids: Iterable[int], ends: bytes) -> None:
        """Write the digest of the first and last block of a file's names."""
        self._db.executemany("UPDATE files SET ends = ? WHERE id = ?", ((ends, id_) for id_ in ids))

    def set_digest(self, ids: Iterable[int], digest: bytes) -> None:
        """Write the digest of a file's names."""
        self._db.executemany("UPDATE files SET digest = ? WHERE id = ?", ((digest, id_) for id_ in ids))

    def forget(self, path: bytes) -> None:
        """Take one path out of the stock, because it is no longer there."""
        folder, _, name = path.rpartition(b"/")
        self._db.execute(
            "DELETE FROM files WHERE name = ? AND folder = (SELECT id FROM folders WHERE path = ?)",
            (name, folder or b"/"),
        )

    def remember(self, path: bytes, sighting: Sighting, digest: bytes) -> None:
        """Put a file whose content is known back into the stock, if its folder is known there."""
        folder = self._db.execute(
            "SELECT id FROM folders WHERE path = ?", (path.rpartition(b"/")[0] or b"/",)
        ).fetchone()
        if folder:
            self.put(folder[0], [sighting])
            self._db.execute(
                "UPDATE files SET digest = ? WHERE folder = ? AND name = ?",
                (digest, folder[0], sighting.name),
            )

    # -- read by others ----------------------------------------------------------------------------

    def totals(self) -> tuple[int, int]:
        """Return how many names the stock knows and the sum of their sizes in bytes."""
        count, size = self._db.execute("SELECT count(*), coalesce(sum(size), 0) FROM files").fetchone()
        return int(count), int(size)

    def with_digest(self, digest: bytes) -> list[bytes]:
        """Return the paths of the files with a content, in order."""
        rows = self._db.execute(
            "SELECT d.path, f.name FROM files f JOIN folders d ON d.id = f.folder WHERE f.digest = ?"
            " ORDER BY d.path, f.name",
            (digest,),
        )
        return [_join(folder, name) for folder, name in rows]

    def same_content(self, roles: Iterable[Role] | None = None) -> Iterator[list[StockFile]]:
        """Yield the files of each content that more than one file has, largest size first.

        Parameters
        ----------
        roles
            Only files in places with these roles; all roles when None.
        """
        places = Places(self._db).by_id()
        chosen = [id_ for id_, place in places.items() if roles is None or place.role in roles]
        marks = ",".join("?" * len(chosen))
        rows = self._db.execute(
            "SELECT d.path, f.name, f.size, f.modified_ns, f.kind, d.place, d.volume, f.inode, f.links, f.digest"
            f" FROM files f JOIN folders d ON d.id = f.folder WHERE d.place IN ({marks}) AND f.digest IN"
            " (SELECT f.digest FROM files f JOIN folders d ON d.id = f.folder"
            f"  WHERE f.digest IS NOT NULL AND d.place IN ({marks})"
            f"  GROUP BY f.digest HAVING {_MORE_THAN_ONE_FILE})"
            " ORDER BY f.size DESC, f.digest, d.path, f.name",
            (*chosen, *chosen),
        )
        for _, names in groupby(rows, key=lambda row: row[9]):
            yield [
                StockFile(_join(folder, name), size, modified_ns, kind, places[place], *rest)
                for folder, name, size, modified_ns, kind, place, *rest in names
            ]


_BELOW = "(path = ? OR (path > ? AND path < ?))"


def _below(path: bytes) -> tuple[bytes, bytes, bytes]:
    """Return the parameters of `_BELOW`: bytes compare as memory, and ``0`` follows ``/``."""
    stem = path.rstrip(b"/")
    return (path, stem + b"/", stem + b"0")


def _join(folder: bytes, name: bytes) -> bytes:
    return folder + name if folder == b"/" else folder + b"/" + name
