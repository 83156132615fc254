"""The files of a stock as scans write them."""

import os
import sqlite3
from collections.abc import Collection, Iterable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from itertools import groupby
from typing import Any, NamedTuple

from foldkeep.model import Place, StockFile
from foldkeep.model.companions import owner_names, sidecar_stems
from foldkeep.model.names import lies_below

from .filtering import BELOW, bounds

_SAME_LOOKS = (
    "NOT fresh AND size = excluded.size AND modified_ns + {shift} = excluded.modified_ns AND volume = excluded.volume"
)
_UNCHANGED = f"{_SAME_LOOKS} AND inode = excluded.inode"
_PAGE = 1024

SMALL_FILE = 256 * 1024
"""Larger files are read first, the largest before the others; the rest in order of inode, as they lie."""


class Sighting(NamedTuple):
    """What a scan saw of one name in a folder; a tuple, since there are hundreds of thousands.

    Attributes
    ----------
    fresh
        1 if it was changed so short before that a change after this would not show in its time, else 0.
    blocks
        How many blocks of 512 bytes it takes on its volume; None where that is not known.
    """

    name: bytes
    kind: str
    size: int
    modified_ns: int
    inode: int
    links: int
    owner: int
    fresh: int = 0
    blocks: int | None = None


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
    """What scans know of the files in the places."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._db = connection

    def new_scan(self, started_ns: int) -> int:
        """Return the number of a new scan."""
        (id_,) = self._db.execute("INSERT INTO scans (started_ns) VALUES (?) RETURNING id", (started_ns,)).fetchone()
        return int(id_)

    def same_as_seen(self, path: bytes, place: int, volume: int, scan: int, seen: bytes) -> bool:
        """Note that a scan looked into a folder; tell whether what it listed is what was seen before.

        If so, nothing more needs to be written of the folder.
        """
        found = self._db.execute(
            "UPDATE folders SET scan = ? WHERE path = ? AND place = ? AND volume = ? AND seen = ? RETURNING id",
            (scan, path, place, volume, seen),
        ).fetchone()
        return found is not None

    def enter_folder(self, path: bytes, place: int, volume: int, scan: int, seen: bytes | None) -> int:
        """Note what a scan listed in a folder (None: it must be listed again), and return its number."""
        (id_,) = self._db.execute(
            "INSERT INTO folders (path, place, volume, scan, seen) VALUES (?, ?, ?, ?, ?) ON CONFLICT (path)"
            " DO UPDATE SET place = excluded.place, volume = excluded.volume, scan = excluded.scan,"
            " seen = excluded.seen RETURNING id",
            (path, place, volume, scan, seen),
        ).fetchone()
        self._db.execute("UPDATE files SET place = ? WHERE folder = ? AND place <> ?", (place, id_, place))
        return int(id_)

    def in_folder(self, folder: int) -> dict[bytes, Sighting]:
        """Return what is known of the files directly in a folder, by name."""
        rows = self._db.execute(
            "SELECT name, kind, size, modified_ns, inode, links, owner, fresh, blocks FROM files WHERE folder = ?",
            (folder,),
        )
        return {row[0]: Sighting(*row) for row in rows}

    def numbers_in(self, folder: int) -> dict[bytes, int]:
        """Return the numbers of the files directly in a folder, by name."""
        return dict(self._db.execute("SELECT name, id FROM files WHERE folder = ?", (folder,)).fetchall())

    def put(
        self,
        folder: int,
        place: int,
        volume: int,
        sightings: Iterable[Sighting],
        *,
        by_inode: bool = True,
        shift_ns: int = 0,
    ) -> None:
        """Write new and changed files of a folder; what was known of changed contents is dropped.

        Without `by_inode` a file of the same name, size and time is taken for the same one; all times are `shift_ns`
        later than they were.
        """
        same = (_UNCHANGED if by_inode else _SAME_LOOKS).format(shift=int(shift_ns))
        self._db.executemany(
            "INSERT INTO files (name, kind, size, modified_ns, inode, links, owner, fresh, blocks, folder,"
            " place, volume)"
            " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT (folder, name) DO UPDATE SET"
            f" ends = iif({same}, ends, NULL), digest = iif({same}, digest, NULL),"
            f" content = iif({same}, content, NULL), extent = iif({same}, extent, NULL),"
            " kind = excluded.kind, size = excluded.size,"
            " modified_ns = excluded.modified_ns, inode = excluded.inode, links = excluded.links,"
            " owner = excluded.owner, fresh = excluded.fresh, blocks = excluded.blocks,"
            " place = excluded.place, volume = excluded.volume",
            ((*sighting, folder, place, volume) for sighting in sightings),
        )

    def miss(self, folder: int, names: Iterable[bytes], scan: int) -> None:
        """Mark files of a folder as gone: a scan did not find them."""
        for name in names:
            self._miss("f.folder = ? AND f.name = ?", (folder, name), scan)

    def miss_folders_below(self, path: bytes, scan: int, spared: Iterable[bytes]) -> None:
        """Mark the files of folders at and below `path` as gone that this scan did not look into.

        Folders at and below those in `spared` stay: they could not be looked into, which is not gone.
        """
        stale = self._db.execute(
            f"SELECT d.id, d.path FROM folders d WHERE {BELOW} AND d.scan < ?", (*bounds(path), scan)
        ).fetchall()
        kept = tuple(spared)
        for id_, folder in stale:
            if not any(folder == top or lies_below(folder, top) for top in kept):
                self._miss("f.folder = ?", (id_,), scan)
                self._db.execute("DELETE FROM folders WHERE id = ?", (id_,))

    def _miss(self, condition: str, values: tuple[object, ...], scan: int) -> None:
        self._db.execute(
            "INSERT OR REPLACE INTO gone (path, size, modified_ns, volume, inode, ends, digest, content, scan)"
            " SELECT CAST(iif(d.path = x'2F', x'', d.path) || x'2F' || f.name AS BLOB), f.size, f.modified_ns,"
            f" f.volume, f.inode, f.ends, f.digest, f.content, ? FROM files f JOIN folders d ON d.id = f.folder"
            f" WHERE {condition}",
            (scan, *values),
        )
        self._db.execute(f"DELETE FROM files AS f WHERE {condition}", values)

    def gone(self, path: bytes) -> tuple[bytes | None, int | None]:
        """Return digest and size of a file that a scan no longer found at a path, as far as they are known."""
        row = self._db.execute("SELECT digest, size FROM gone WHERE path = ?", (path,)).fetchone()
        return row or (None, None)

    def recognise_moved(self) -> int:
        """Give files that were moved what was read of them before, and return how many those are.

        A file is a moved one if one that is gone had its volume, inode, size and time.
        """
        return self._db.execute(
            "UPDATE files SET ends = g.ends, digest = g.digest, content = g.content FROM gone g"
            " WHERE (g.ends IS NOT NULL OR g.digest IS NOT NULL) AND files.ends IS NULL AND files.digest IS NULL"
            " AND NOT files.fresh AND files.size = g.size AND files.volume = g.volume"
            " AND files.inode = g.inode AND files.modified_ns = g.modified_ns"
        ).rowcount

    def recognise_moved_by_ends(self, volumes: Collection[int]) -> int:
        """Give files that were moved what was read of them before, where inode numbers do not last; return how many.

        A file is a moved one if one that is gone had its volume, size, time, and first and last block.
        """
        if not volumes:
            return 0
        return self._db.execute(
            "UPDATE files SET digest = g.digest, content = g.content FROM gone g WHERE g.digest IS NOT NULL"
            " AND files.digest IS NULL AND NOT files.fresh AND files.size = g.size AND files.volume = g.volume"
            f" AND files.modified_ns = g.modified_ns AND files.ends = g.ends AND g.volume IN ({_list(volumes)})"
        ).rowcount

    def sample(self, place: int, most: int) -> list[tuple[bytes, int, int, int]]:
        """Return paths, sizes, times and inodes of up to so many files of a place, from all over it."""
        (count,) = self._db.execute("SELECT count(*) FROM files WHERE place = ?", (place,)).fetchone()
        rows = self._db.execute(
            "SELECT d.path, f.name, f.size, f.modified_ns, f.inode FROM files f JOIN folders d ON d.id = f.folder"
            " WHERE f.place = ? AND NOT f.fresh AND f.id % ? = 0 LIMIT ?",
            (place, max(1, count // most), most),
        )
        return [(join(folder, name), size, modified_ns, inode) for folder, name, size, modified_ns, inode in rows]

    def to_read_ends(self, least_size: int = 1, scan: int = 0, places: Collection[int] | None = None) -> Backlog:
        """Return the files that share their size with another and of which the ends were not read yet.

        Parameters
        ----------
        least_size, scan, places
            Only files of at least this size, in folders that this or a later scan looked into, in these
            places (in any when None).
        """
        return self._backlog(
            "f.ends IS NULL AND f.size > 0 AND EXISTS (SELECT 1 FROM files g WHERE g.size = f.size"
            " AND (g.inode <> f.inode OR g.volume <> f.volume))",
            least_size,
            scan,
            places,
        )

    def to_read_whole(self, least_size: int = 1, scan: int = 0, places: Collection[int] | None = None) -> Backlog:
        """Return the files not yet read whole that share size and ends with another."""
        return self._backlog(
            "f.digest IS NULL AND f.ends IS NOT NULL AND EXISTS (SELECT 1 FROM files g WHERE g.size = f.size"
            " AND g.ends = f.ends AND (g.inode <> f.inode OR g.volume <> f.volume))",
            least_size,
            scan,
            places,
        )

    def to_read_rest(self, places: Collection[int]) -> Backlog:
        """Return the files of places of which the whole content was not read yet."""
        return self._backlog("f.digest IS NULL AND f.size > 0", 1, 0, places)

    def _backlog(self, condition: str, least_size: int, scan: int, places: Collection[int] | None) -> Backlog:
        if places is not None:
            condition += f" AND f.place IN ({_list(places)})"
        # The work is set down in a table of its own first: results are written while it is read.
        self._db.execute("DROP TABLE IF EXISTS temp.work")
        self._db.execute(
            "CREATE TEMP TABLE work AS SELECT f.id, d.path AS folder, f.name, f.size, f.modified_ns,"
            f" f.volume, f.inode FROM files f JOIN folders d ON d.id = f.folder WHERE {condition}"
            " AND f.size >= ? AND d.scan >= ? ORDER BY iif(f.size > ?, f.size, 0) DESC, f.volume, f.inode",
            (least_size, scan, SMALL_FILE),
        )
        count, size = self._db.execute(
            "SELECT count(*), coalesce(sum(size), 0) FROM (SELECT size FROM temp.work GROUP BY volume, inode)"
        ).fetchone()
        return Backlog(count, size, self._readings())

    def _readings(self) -> Iterator[Reading]:
        for _, links in groupby(self._work(), key=lambda row: (row[6], row[7])):
            rows = list(links)
            _, _, folder, name, size, modified_ns, _, inode = rows[0]
            yield Reading(tuple(row[1] for row in rows), join(folder, name), size, modified_ns, inode)

    def _work(self) -> Iterator[tuple]:  # type: ignore[type-arg]
        """Yield the rows of the work by pages, so that no cursor stays open over a write."""
        last = 0
        while page := self._db.execute(
            f"SELECT rowid, * FROM temp.work WHERE rowid > ? ORDER BY rowid LIMIT {_PAGE}", (last,)
        ).fetchall():
            yield from page
            last = page[-1][0]

    def set_read(self, found: Iterable[tuple[int | None, bytes | None, str | None, int | None, int]]) -> None:
        """Write what was read of files: rows of ends, digest, contradicting content, extent, the file's number.

        What is None leaves what is there.
        """
        self._db.executemany(
            "UPDATE files SET ends = coalesce(?, ends), digest = coalesce(?, digest),"
            " content = coalesce(?, content), extent = coalesce(?, extent) WHERE id = ?",
            found,
        )

    @contextmanager
    def loading(self) -> Iterator[None]:
        """Do without the indexes in the block: to make them afterwards takes a fifth off a load."""
        indexes = self._db.execute(
            "SELECT name, sql FROM sqlite_master WHERE type = 'index' AND tbl_name = 'files' AND sql IS NOT NULL"
        ).fetchall()
        for name, _ in indexes:
            self._db.execute(f"DROP INDEX {name}")
        yield
        for _, sql in indexes:
            self._db.execute(sql)

    def load(self, folder: int, place: int, volume: int, rows: Iterable[tuple[object, ...]]) -> None:
        """Write new files of a folder as somebody else knows them: the attributes of a sighting but for `fresh`, then
        extent, content, ends and digest.
        """
        self._db.executemany(
            "INSERT INTO files (name, kind, size, modified_ns, inode, links, owner, blocks, extent, content, ends,"
            f" digest, folder, place, volume, fresh) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, {folder}, {place},"
            f" {volume}, 0)",
            rows,
        )

    def seen_on_two_volumes(self) -> Iterator[list[tuple[int, int, bytes]]]:
        """Yield groups of files that may be one, seen through two mounts: number, volume and path of each.

        They have one content, inode number, size and time on several volumes.
        """
        alike = self._db.execute(
            "SELECT digest, inode, size, modified_ns FROM files WHERE digest IS NOT NULL"
            " GROUP BY digest, inode, size, modified_ns HAVING min(volume) <> max(volume)"
        ).fetchall()
        for digest, inode, size, modified_ns in alike:
            rows = self._db.execute(
                "SELECT f.id, f.volume, d.path, f.name FROM files f JOIN folders d ON d.id = f.folder"
                " WHERE f.digest = ? AND f.inode = ? AND f.size = ? AND f.modified_ns = ? ORDER BY f.volume, f.id",
                (digest, inode, size, modified_ns),
            )
            yield [(number, volume, join(folder, name)) for number, volume, folder, name in rows]

    def set_volume(self, number: int, volume: int) -> None:
        """Note that a file is one of another volume, seen through a second mount: it is one with that."""
        self._db.execute("UPDATE files SET volume = ? WHERE id = ?", (volume, number))

    def perhaps_cloned(self) -> list[tuple[int, bytes]]:
        """Return numbers and paths of files that a clone may have been made of since they were read.

        Those are files that share no blocks as far as is known, beside one of their content that does.
        """
        rows = self._db.execute(
            "SELECT f.id, d.path, f.name FROM files f JOIN folders d ON d.id = f.folder WHERE f.extent IS NULL"
            " AND EXISTS (SELECT 1 FROM files g WHERE g.digest = f.digest AND g.volume = f.volume"
            " AND g.extent IS NOT NULL) AND f.digest IN (SELECT digest FROM files WHERE extent IS NOT NULL)"
        )
        return [(id_, join(folder, name)) for id_, folder, name in rows]

    def forget(self, paths: Iterable[bytes]) -> None:
        """Take paths out of the stock, because what lay there was put away."""
        names: dict[bytes, list[bytes]] = {}
        for path in paths:
            parent, _, name = path.rpartition(b"/")
            names.setdefault(parent or b"/", []).append(name)
        for parent, gone in names.items():
            if folder := self._list_again(parent):
                self._db.executemany(
                    "DELETE FROM files WHERE folder = ? AND name = ?", ((folder[0], name) for name in gone)
                )

    def remember(self, path: bytes, sighting: Sighting, digest: bytes) -> None:
        """Put a file whose content is known back into the stock, if its folder is known there."""
        folder = self._list_again(path.rpartition(b"/")[0] or b"/")
        if folder:
            self.put(*folder, [sighting])
            # Its ends are those of every file with its content.
            self._db.execute(
                "UPDATE files SET digest = :digest, ends = coalesce(ends, (SELECT ends FROM files"
                " WHERE digest = :digest AND ends IS NOT NULL)) WHERE folder = :folder AND name = :name",
                {"digest": digest, "folder": folder[0], "name": sighting.name},
            )

    def _list_again(self, path: bytes) -> tuple[int, int, int] | None:
        """Note that a folder is not what a scan saw; return its number, place and volume if it is known."""
        found: tuple[int, int, int] | None = self._db.execute(
            "UPDATE folders SET seen = NULL WHERE path = ? RETURNING id, place, volume", (path,)
        ).fetchone()
        return found

    def in_folders(self) -> dict[bytes, int]:
        """Return how many names lie directly in each folder, those without any included."""
        return dict(
            self._db.execute(
                "SELECT d.path, coalesce(n, 0) FROM folders d LEFT JOIN"
                " (SELECT folder, count(*) AS n FROM files GROUP BY folder) ON folder = d.id"
            )
        )

    def paths_of_kind(self, kind: str) -> list[bytes]:
        """Return the paths of the files of a kind."""
        rows = self._db.execute(
            "SELECT d.path, f.name FROM files f JOIN folders d ON d.id = f.folder WHERE f.kind = ?"
            " ORDER BY d.path, f.name",
            (kind,),
        )
        return [join(folder, name) for folder, name in rows]

    def masters(self, sidecar: bytes) -> list[bytes]:
        """Return the files that a sidecar belongs to: ``kite.jpg`` for ``kite.xmp`` or ``kite.jpg.xmp``."""
        folder, name = os.path.split(sidecar)
        found = []
        for stem in sidecar_stems(name):
            # Bytes compare as memory does, and the slash follows the dot.
            rows = self._db.execute(
                "SELECT name FROM files WHERE folder = (SELECT id FROM folders WHERE path = ?) AND kind <> 'sidecar'"
                " AND name >= ? AND name < ? ORDER BY name",
                (folder, stem, stem + b"/"),
            )
            found += [join(folder, other) for (other,) in rows if stem in owner_names(other)]
        return found

    def digested(self) -> int:
        """Return of how many names the whole content was read."""
        (count,) = self._db.execute("SELECT count(*) FROM files WHERE digest IS NOT NULL").fetchone()
        return int(count)


def _list(numbers: Iterable[int]) -> str:
    return ",".join(map(str, numbers))


FILE_COLUMNS = (
    "d.path, f.name, f.size, f.modified_ns, f.kind, f.place, f.volume, f.inode, f.links, f.owner, f.digest,"
    " f.content, f.extent, f.blocks"
)
"""What `stock_file` needs of ``files f JOIN folders d``."""


def stock_file(row: tuple[Any, ...], places: Mapping[int, Place]) -> StockFile:
    """Return a file from a row of `FILE_COLUMNS`."""
    folder, name, size, modified_ns, kind, place, *rest = row
    return StockFile(join(folder, name), size, modified_ns, kind, places[place], *rest)


def join(folder: bytes, name: bytes) -> bytes:
    """Return the path of a name in a folder."""
    return folder + name if folder == b"/" else folder + b"/" + name
