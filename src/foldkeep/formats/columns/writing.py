"""Inventories by columns: one Parquet file, sorted by digest, that many machines' files can be asked from."""

import json
import os
from collections.abc import Iterable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import TYPE_CHECKING, Any

from foldkeep.model.work import in_blocks

from ..own import InventoryHead, head_entry, new_file
from . import seal
from .reading import COLUMNS, inventory_reader
from .sql import database, text

if TYPE_CHECKING:
    from duckdb import DuckDBPyConnection

Folders = Iterable[tuple[bytes, int, str, list[tuple[Any, ...]]]]
"""Folders as `foldkeep.formats.own.write_inventory` takes them."""

_OF_FOLDERS = 6  # the first of them are alike in a whole folder
_OF_FILES = len(COLUMNS) - 2
_USES = (("folder", "BLOB"), ("name", "BLOB"), ("used", "VARCHAR"))
_MEASURED = (("digest", "BLOB"), ("signals", "VARCHAR"))
_NO_FILE = (None,) * (_OF_FILES - _OF_FOLDERS)  # a folder with none has a row of its own
_MEMORY_BYTES = 1_000_000_000
_ROWS_AT_ONCE = 100_000
_MEASURED_AT_ONCE = 10_000
_IN_A_GROUP = 122_880


def save_columns(
    path: str,
    head: InventoryHead,
    folders: Folders,
    used: Mapping[bytes, str] | None = None,
    signals: Iterable[tuple[bytes, str]] = (),
) -> tuple[str, int, int]:
    """Write an inventory by columns and return where, and how many files of how many bytes it tells of.

    Parameters
    ----------
    path
        Where to write it; a taken name gets a free one beside it.
    used
        What uses a file, by its path; None if nobody looked.
    signals
        Contents, each once, with what was measured of them, as JSON.

    Raises
    ------
    UnusableInput
        If it cannot be written; what was begun is taken away again.
    """
    with (
        new_file(path) as (target, stream),
        database(_MEMORY_BYTES, os.path.dirname(os.path.abspath(path))) as (asked, _),
    ):
        for name, columns in (("files", COLUMNS[:_OF_FILES]), ("uses", _USES), ("measured", _MEASURED)):
            asked.execute(f"CREATE TABLE {name} ({', '.join(f'{column} {type_}' for column, type_ in columns)})")
        with ThreadPoolExecutor(1, thread_name_prefix="columns") as writing:
            last = writing.submit(_insert, asked, "files", None)
            for batch in _batches(head, folders):  # one is written while the next is read
                last.result()
                last = writing.submit(_insert, asked, "files", batch)
            last.result()
        by_path = ((*_split(path), words) for path, words in (used or {}).items())
        for some in in_blocks(by_path, _ROWS_AT_ONCE):
            _insert(asked, "uses", _table(_USES, some))
        for measured in in_blocks(signals, _MEASURED_AT_ONCE):
            _insert(asked, "measured", _table(_MEASURED, measured))
        counts = asked.execute("SELECT count(name), coalesce(sum(size), 0)::BIGINT FROM files").fetchone()
        count, size = counts or (0, 0)
        told = {**head_entry(head._replace(knows_uses=used is not None)), "end": {"files": count, "bytes": size}}
        _write(asked, target, json.dumps(told))
        with open(target, "r+b") as file:
            seal.seal(file)
        os.fsync(stream.fileno())
    return target, count, size


def _split(path: bytes) -> tuple[bytes, bytes]:
    folder, _, name = path.rpartition(b"/")
    return folder or b"/", name


def _insert(asked: "DuckDBPyConnection", table: str, batch: Any) -> None:
    if batch is not None:
        asked.register("batch", batch)
        asked.execute(f"INSERT INTO {table} SELECT * FROM batch")
        asked.unregister("batch")


def _write(asked: "DuckDBPyConnection", target: str, head: str) -> None:
    names = {seal.HEAD_KEY: head, seal.SEAL_KEY: seal.EMPTY_SEAL}
    pairs = ", ".join(f"{text(key)}: {text(value)}" for key, value in names.items())
    asked.execute(
        "COPY (SELECT files.*, used, signals FROM files LEFT JOIN uses USING (folder, name)"
        f" LEFT JOIN measured USING (digest) ORDER BY digest NULLS LAST, folder, name) TO {text(target)}"
        f" (FORMAT parquet, COMPRESSION zstd, ROW_GROUP_SIZE {_IN_A_GROUP}, USE_TMP_FILE false,"
        f" KV_METADATA {{{pairs}}})"
    )


def _batches(head: InventoryHead, folders: Folders) -> Iterator[Any]:
    """Yield the files of folders as tables of columns, many at a time."""
    alike: list[tuple[Any, ...]] = []
    rows: list[tuple[Any, ...]] = []
    numbers: list[int] = []
    for path, place, volume, files in folders:
        files = files or [_NO_FILE]
        numbers += [len(alike)] * len(files)
        rows += files
        label, role = head.places[place].label, head.places[place].role
        alike.append((head.machine.id, head.machine.name, label, role, volume, path))
        if len(rows) >= _ROWS_AT_ONCE:
            yield _files(alike, numbers, rows)
            alike, rows, numbers = [], [], []
    if rows:
        yield _files(alike, numbers, rows)


def _files(alike: list[tuple[Any, ...]], numbers: list[int], rows: list[tuple[Any, ...]]) -> Any:
    """Return files as a table; what is alike in a folder is written once and repeated by number."""
    import pyarrow as arrow

    of_folders, of_files = _table(COLUMNS[:_OF_FOLDERS], alike), _table(COLUMNS[_OF_FOLDERS:_OF_FILES], rows)
    columns = [*of_folders.take(arrow.array(numbers, arrow.int32())).columns, *of_files.columns]
    return arrow.table(columns, names=[name for name, _ in COLUMNS[:_OF_FILES]])


def _table(columns: Sequence[tuple[str, str]], rows: Iterable[tuple[Any, ...]]) -> Any:
    import pyarrow as arrow

    types = {"VARCHAR": arrow.string(), "BLOB": arrow.binary(), "BIGINT": arrow.int64()}
    arrays = [
        arrow.array(values, types[type_]) for values, (_, type_) in zip(zip(*rows, strict=True), columns, strict=True)
    ]
    return arrow.table(arrays, names=[name for name, _ in columns])


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
    reader = inventory_reader(path)
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
