"""DuckDB in the place of SQLite: the same questions, where both have one word for one thing."""

import re
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import suppress
from typing import TYPE_CHECKING, Any

from foldkeep.model.work import in_blocks

if TYPE_CHECKING:
    from duckdb import DuckDBPyConnection

_AT_ONCE = 10_000
_ROWS_AT_ONCE = 100_000
_FOLDERS = re.compile(r" JOIN folders d ON d\.id = f\.folder\b")
_ASKS_FOLDERS = re.compile(r"\bfolders\b")
# What is written otherwise. A temporary table would be seen by the one connection alone that made it.
_WORDS = (
    (re.compile(r"\bTEMP TABLE\b"), "TABLE"),
    (re.compile(r"\btemp\."), ""),
    (re.compile(r"\bINTEGER\b"), "BIGINT"),
    (re.compile(r"\bLIMIT \?"), "LIMIT nullif(?, -1)"),
    (re.compile(r"\bCROSS JOIN files f ON\b"), "JOIN files f ON"),
    (re.compile(r" NOT INDEXED\b"), ""),
)
MACROS = ("CREATE MACRO iif(condition, one, other) AS CASE WHEN condition THEN one ELSE other END",)


class Answer:
    """Rows of an answer, which come while they are asked for."""

    def __init__(self, cursor: "DuckDBPyConnection") -> None:
        self._cursor = cursor

    def __iter__(self) -> Iterator[tuple[Any, ...]]:
        while rows := self._cursor.fetchmany(_AT_ONCE):
            yield from rows

    def fetchone(self) -> tuple[Any, ...] | None:
        """Return the next row; None if there is none."""
        row: tuple[Any, ...] | None = self._cursor.fetchone()
        return row

    def fetchall(self) -> list[tuple[Any, ...]]:
        """Return the rows that are left."""
        rows: list[tuple[Any, ...]] = self._cursor.fetchall()
        return rows


class Connection:
    """What the tables of a stock need of a connection.

    Parameters
    ----------
    schema
        Where its tables are, apart from those of another stock in the same database.
    """

    def __init__(self, connection: "DuckDBPyConnection", schema: str = "main") -> None:
        self._db = connection
        self._schema = schema
        self._has_folders = False

    def execute(self, question: str, values: Sequence[object] = ()) -> Answer:
        """Ask a question; each answer has a cursor of its own."""
        question = translated(question)
        if not self._has_folders and _ASKS_FOLDERS.search(question):
            self._has_folders = True
            self.execute("CREATE TABLE folders AS SELECT folder AS id, folder AS path, any_value(place) AS place,"
                         " any_value(volume) AS volume FROM listed GROUP BY folder")  # fmt: skip
        cursor = self._db.cursor()
        cursor.execute(f"USE {self._schema}")
        return Answer(cursor.execute(question, list(values)))

    def fill(self, table: str, columns: Sequence[str], rows: Iterable[Sequence[bytes]]) -> None:
        """Make a table of bytes, of many rows."""
        import pyarrow as arrow

        self.execute(f"CREATE TABLE {table} ({', '.join(f'{column} BLOB' for column in columns)})")
        for some in in_blocks(rows, _ROWS_AT_ONCE):
            arrays = [arrow.array(values, arrow.binary()) for values in zip(*some, strict=True)]
            self._db.register("batch", arrow.table(arrays, names=list(columns)))
            self._db.execute(f"INSERT INTO {self._schema}.{table} SELECT * FROM batch")
            self._db.unregister("batch")

    def executemany(self, question: str, rows: Iterable[Sequence[object]]) -> None:
        """Make a change for each of a few rows."""
        for row in rows:
            self.execute(question, row)

    def create_function(self, name: str, _: int, function: Callable[[bytes], bool], **_of_sqlite: bool) -> None:
        """Have questions call a function that takes a name and tells whether it fits."""
        import duckdb

        with suppress(duckdb.InvalidInputException):  # there may be none yet, or one of another filter
            self._db.remove_function(name)
        self._db.create_function(name, function, ["BLOB"], "BOOLEAN")


def translated(question: str) -> str:
    """Return a question to SQLite as DuckDB has it."""
    for pattern, word in _WORDS:
        question = pattern.sub(word, question)
    # A folder's number is its path there, so nothing has to be looked up for it.
    found = _FOLDERS.search(question)
    if found:
        question = _FOLDERS.sub("", question).replace("d.path", "f.folder").replace("d.id", "f.folder")
    return question
