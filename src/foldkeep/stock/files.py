"""The files of a stock as scans write them."""

import sqlite3
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager
from typing import Any, NamedTuple

from foldkeep.model import Place, StockFile
from foldkeep.model.names import folders_above

from .filtering import BELOW, bounds

_SAME_LOOKS = (
    "NOT fresh AND size = excluded.size AND modified_ns + {shift} = excluded.modified_ns AND volume = excluded.volume"
    " AND etag = excluded.etag"
)
_UNCHANGED = f"{_SAME_LOOKS} AND inode = excluded.inode"


class Sighting(NamedTuple):
    """Sight of one name in a folder by a scan; a tuple, since there are hundreds of thousands.

    Attributes
    ----------
    fresh
        1 if it was changed so short before that a change after this would not show in its time, else 0.
    blocks
        How many blocks of 512 bytes it takes on its volume; None where that is not known.
    etag
        The strong entity tag that its server gives it; empty if it has none.
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
    etag: str = ""


class Files:
    """Files in the places, as scans know them."""

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
            "SELECT name, kind, size, modified_ns, inode, links, owner, fresh, blocks, etag FROM files"
            " WHERE folder = ?",
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
            "INSERT INTO files (name, kind, size, modified_ns, inode, links, owner, fresh, blocks, etag, folder,"
            " place, volume)"
            " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT (folder, name) DO UPDATE SET"
            f" ends = iif({same}, ends, NULL), digest = iif({same}, digest, NULL),"
            f" outline = iif({same}, outline, NULL), form = iif({same}, form, NULL),"
            f" read_changed_ns = iif({same}, read_changed_ns, NULL),"
            f" stated = iif({same}, stated, NULL), content = iif({same}, content, NULL),"
            f" extent = iif({same}, extent, NULL),"
            " kind = excluded.kind, size = excluded.size,"
            " modified_ns = excluded.modified_ns, inode = excluded.inode, links = excluded.links,"
            " owner = excluded.owner, fresh = excluded.fresh, blocks = excluded.blocks, etag = excluded.etag,"
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
        kept = frozenset(spared)
        for id_, folder in stale:
            if folder not in kept and kept.isdisjoint(folders_above(folder)):
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

    def remember(self, path: bytes, sighting: Sighting, digest: bytes, *, place: Place | None = None) -> None:
        """Put a file whose content is known back into the stock, if its folder is known there.

        With a place, on whose volume it lies, its folder is known from then on.
        """
        above = path.rpartition(b"/")[0] or b"/"
        folder = self._list_again(above)
        if folder is None and place:
            folder = (self.enter_folder(above, place.id, place.volume, 0, None), place.id, place.volume)
        if folder:
            self.put(*folder, [sighting])
            # Its ends are those of every file with its content.
            self._db.execute(
                "UPDATE files SET digest = :digest, read_changed_ns = NULL,"
                " ends = coalesce(ends, (SELECT ends FROM files WHERE digest = :digest AND ends IS NOT NULL))"
                " WHERE folder = :folder AND name = :name",
                {"digest": digest, "folder": folder[0], "name": sighting.name},
            )

    def _list_again(self, path: bytes) -> tuple[int, int, int] | None:
        """Note that a folder is not what a scan saw; return its number, place and volume if it is known."""
        found: tuple[int, int, int] | None = self._db.execute(
            "UPDATE folders SET seen = NULL WHERE path = ? RETURNING id, place, volume", (path,)
        ).fetchone()
        return found


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
