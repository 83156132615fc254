"""What can be made again from contents, kept in SQLite files of their own beside the stock."""

import sqlite3
from types import TracebackType
from typing import Self


class SideFile:
    """A file beside the stock; it may be deleted at any time.

    Where it cannot be written, what is kept lasts as long as this object.

    Parameters
    ----------
    stock_path
        Where the stock lies.
    suffix
        What the name of the file has behind that of the stock.
    table
        The statements that make its tables.
    """

    def __init__(self, stock_path: str, suffix: str, table: str) -> None:
        self.path = stock_path if stock_path == ":memory:" else stock_path + suffix
        try:
            self._db = self._opened(self.path, table)
        except sqlite3.Error:
            self._db = self._opened(":memory:", table)

    @staticmethod
    def _opened(path: str, table: str) -> sqlite3.Connection:
        connection = sqlite3.connect(path, isolation_level=None)
        try:
            connection.execute("PRAGMA journal_mode = WAL")
            connection.execute("PRAGMA synchronous = NORMAL")
            connection.executescript(table)
        except BaseException:
            connection.close()
            raise
        return connection

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._db.close()
