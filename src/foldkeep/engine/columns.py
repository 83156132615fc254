"""Inventories by columns: one Parquet file, sorted by digest, that many machines' files can be asked from."""

import json
import os
from collections.abc import Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import TYPE_CHECKING, Any

from foldkeep.formats.own import InventoryHead, InventoryReader, head_entry, new_file, parquet
from foldkeep.stock.many import text
from foldkeep.storage.local.changes import flush

from .database import database

if TYPE_CHECKING:
    from duckdb import DuckDBPyConnection

Folders = Iterable[tuple[bytes, int, str, list[tuple[Any, ...]]]]
"""Folders as `foldkeep.formats.own.write_inventory` takes them."""

COLUMNS = (
    ("machine", "VARCHAR"), ("machine_name", "VARCHAR"), ("place", "VARCHAR"), ("role", "VARCHAR"),
    ("volume", "VARCHAR"), ("folder", "BLOB"), ("name", "BLOB"), ("kind", "VARCHAR"),
    ("size", "BIGINT"), ("modified_ns", "BIGINT"),
    ("inode", "BIGINT"), ("links", "BIGINT"), ("owner", "BIGINT"), ("blocks", "BIGINT"), ("extent", "BIGINT"),
    ("content", "VARCHAR"), ("ends", "BIGINT"), ("digest", "BLOB"), ("signals", "VARCHAR"),
)  # fmt: skip
"""What is known of a file, and how the database holds it."""

_OF_FOLDERS = 6  # the first of them are alike in a whole folder
_NO_FILE = (None,) * (len(COLUMNS) - _OF_FOLDERS - 1)  # a folder with none has a row of its own
_ROWS_AT_ONCE = 100_000
_IN_A_GROUP = 122_880


def save_columns(
    path: str, head: InventoryHead, folders: Folders, signals: dict[bytes, str] | None = None
) -> tuple[str, int, int]:
    """Write an inventory by columns and return where, and how many files of how many bytes it tells of.

    Parameters
    ----------
    path
        Where to write it; a taken name gets a free one beside it.
    signals
        What was measured of contents, by digest, as JSON.

    Raises
    ------
    UnusableInput
        If it cannot be written; what was begun is taken away again.
    """
    with new_file(path) as (target, stream), database(beside=os.path.dirname(os.path.abspath(path))) as (asked, _):
        asked.execute(f"CREATE TABLE files ({', '.join(f'{name} {type_}' for name, type_ in COLUMNS)})")
        with ThreadPoolExecutor(1, thread_name_prefix="columns") as writing:
            # One is written while the next is read.
            last = None
            for batch in _batches(head, folders, signals or {}):
                if last is not None:
                    last.result()
                last = writing.submit(_insert, asked, batch)
            if last is not None:
                last.result()
        counts = asked.execute("SELECT count(name), coalesce(sum(size), 0)::BIGINT FROM files").fetchone()
        count, size = counts or (0, 0)
        told = json.dumps({**head_entry(head), "end": {"files": count, "bytes": size}})
        _write(asked, target, told)
        with open(target, "r+b") as file:
            parquet.seal(file)
        flush(stream.fileno())
    return target, count, size


def _insert(asked: "DuckDBPyConnection", batch: Any) -> None:
    asked.register("batch", batch)
    asked.execute("INSERT INTO files SELECT * FROM batch")
    asked.unregister("batch")


def _write(asked: "DuckDBPyConnection", target: str, head: str) -> None:
    names = {parquet.HEAD_KEY: head, parquet.SEAL_KEY: parquet.EMPTY_SEAL}
    pairs = ", ".join(f"{text(key)}: {text(value)}" for key, value in names.items())
    asked.execute(
        f"COPY (SELECT * FROM files ORDER BY digest NULLS LAST, folder, name) TO {text(target)}"
        f" (FORMAT parquet, COMPRESSION zstd, ROW_GROUP_SIZE {_IN_A_GROUP}, USE_TMP_FILE false,"
        f" KV_METADATA {{{pairs}}})"
    )


def _batches(head: InventoryHead, folders: Folders, signals: dict[bytes, str]) -> Iterator[Any]:
    """Yield the files of folders as tables of columns, many at a time."""
    alike: list[tuple[Any, ...]] = []
    rows: list[tuple[Any, ...]] = []
    numbers: list[int] = []
    for path, place, volume, files in folders:
        files = files or [_NO_FILE]
        numbers += [len(alike)] * len(files)
        rows += files
        alike.append(
            (head.machine.id, head.machine.name, head.places[place].label, head.places[place].role, volume, path)
        )
        if len(rows) >= _ROWS_AT_ONCE:
            yield _table(alike, numbers, rows, signals)
            alike, rows, numbers = [], [], []
    if rows:
        yield _table(alike, numbers, rows, signals)


def _table(
    alike: list[tuple[Any, ...]], numbers: list[int], rows: list[tuple[Any, ...]], signals: dict[bytes, str]
) -> Any:
    import pyarrow as arrow

    types = {"VARCHAR": arrow.string(), "BLOB": arrow.binary(), "BIGINT": arrow.int64()}
    kinds = [types[type_] for _, type_ in COLUMNS]
    number = arrow.array(numbers, arrow.int32())
    arrays = [
        arrow.array(column, kind).take(number)
        for column, kind in zip(zip(*alike, strict=True), kinds[:_OF_FOLDERS], strict=True)
    ]
    of_files = list(zip(*rows, strict=True))
    of_files.append(tuple(signals.get(digest) for digest in of_files[-1]) if signals else (None,) * len(rows))
    arrays += [arrow.array(column, kind) for column, kind in zip(of_files, kinds[_OF_FOLDERS:], strict=True)]
    return arrow.table(arrays, names=[name for name, _ in COLUMNS])


def convert(path: str, target: str, machine: str = "") -> tuple[str, int, int]:
    """Write an inventory again by columns, as `save_columns` does.

    Parameters
    ----------
    machine
        What its machine is called, where it does not say so itself.

    Raises
    ------
    UnusableInput
        If it is no whole inventory, or cannot be written.
    """
    reader = InventoryReader(path)
    head = (
        reader.head
        if reader.head.machine.id or not machine
        else reader.head._replace(machine=reader.head.machine._replace(name=machine))
    )

    def folders() -> Iterator[tuple[bytes, int, str, list[tuple[Any, ...]]]]:
        for part in reader.folders():
            rows = [(*row[:-1], bytes.fromhex(row[-1]) if row[-1] else None) for row in part.rows()]
            yield part.path, part.place, part.volume_key, rows

    return save_columns(target, head, folders())
