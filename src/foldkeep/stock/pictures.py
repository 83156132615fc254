"""Small pictures of contents, kept beside the stock so that each is made once."""

import sqlite3

from .side_file import SideFile

_TABLE = "CREATE TABLE IF NOT EXISTS pictures (digest BLOB PRIMARY KEY, maker INTEGER NOT NULL, jpeg BLOB) STRICT"


class Pictures(SideFile):
    """Pictures by digest, in an SQLite file of their own; it may be deleted at any time.

    Where that file cannot be written, they last as long as this object.

    Parameters
    ----------
    stock_path
        Where the stock lies; the pictures lie beside it.
    maker
        The version of the making of pictures; those of other versions count as not there.
    """

    def __init__(self, stock_path: str, maker: int) -> None:
        super().__init__(stock_path, ".pictures", _TABLE)
        self._maker = maker

    def of(self, digest: bytes) -> tuple[bool, bytes | None]:
        """Tell whether it is known what a content looks like, and return its picture; None if none can be made."""
        row = self._db.execute(
            "SELECT jpeg FROM pictures WHERE digest = ? AND maker = ?", (digest, self._maker)
        ).fetchone()
        return (row is not None, row[0] if row else None)

    def put(self, digest: bytes, jpeg: bytes | None) -> None:
        """Keep a picture; a full disk or another Fold Keep that is just writing is no reason to stop."""
        try:
            self._db.execute("INSERT OR REPLACE INTO pictures VALUES (?, ?, ?)", (digest, self._maker, jpeg))
        except sqlite3.Error:
            return
