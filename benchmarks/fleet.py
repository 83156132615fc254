"""Measures of inventories by columns, and of many machines' inventories asked as one."""

import json
import os
import shlex
import sys
from collections.abc import Iterator
from pathlib import Path

import duckdb

from foldkeep.formats.columns import seal
from foldkeep.formats.own import InventoryHead, InventoryPlace, head_entry
from foldkeep.model.machines import Machine

from .stocks import fill_stock
from .timing import Row, run, words

_MACHINES = 40
_EACH = 2_500_000


def inventories(folder: Path, foldkeep: str) -> Iterator[Row]:
    """An inventory of 5,000,000 files by columns; and 100,000,000 rows of forty machines, a fifth of them copies."""
    write_inventory(folder / "one.parquet", 0, 5_000_000)
    size = (folder / "one.parquet").stat().st_size / 5_000_000
    yield ("inventory by columns, all of its files read", f"{size:.0f} bytes a row", "", "", "≤ 75")
    fill_stock(str(folder / "stock"), 5_000_000)
    saved = run(f"{foldkeep} inventory save new.parquet --stock stock --quiet", folder)
    yield ("`inventory save` by columns, 5,000,000 files", words(saved), "", "", "≤ 30 s")
    (folder / "machines").mkdir()
    for number in range(_MACHINES):
        write_inventory(folder / "machines" / f"edit-{number:02}.parquet", number, _EACH)
    asked = run(f"{foldkeep} duplicates --inventory machines --memory 3GB --top 100 --json --quiet > top.json", folder)
    yield ("`duplicates --top 100`, 100,000,000 rows of 40 machines", words(asked), "", "", "≤ 600 s, ≤ 4 GB")
    plain = (
        "select count(*), sum(n - 1) from (select count(*) as n from 'machines/*.parquet' group by digest having n > 1)"
    )
    beside = run(f"{shlex.quote(sys.executable)} -c {shlex.quote(_PLAIN.format(plain))}", folder)
    yield ("digests counted by one question to DuckDB alone", words(beside), "", "", "")


_PLAIN = (
    'import duckdb; print(duckdb.connect(config=dict(memory_limit=\'3GB\', temp_directory=\'spill\')).sql("""{}"""))'
)


def write_inventory(path: Path, machine: int, rows: int) -> None:
    """Write an inventory by columns of files that are nowhere: a fifth of them on the next machine too."""
    name = f"edit-{machine:02}"
    head = InventoryHead(
        1_795_000_000_000_000_000 + machine,
        [InventoryPlace(b"/media/kites", "kites", "working", f"uuid:{machine:08}", "/dev/sdb at /media", 1)],
        {f"uuid:{machine:08}": "/dev/sdb at /media"},
        Machine(f"{machine:032x}", name),
    )
    told = json.dumps({**head_entry(head), "end": {"files": rows, "bytes": 0}}).replace("'", "''")
    with duckdb.connect(config={"memory_limit": "3GB", "temp_directory": str(path.parent / "spilled")}) as asked:
        asked.execute(
            f"COPY (SELECT '{head.machine.id}' AS machine, '{name}' AS machine_name, 'kites' AS place,"
            f" 'working' AS role, 'uuid:{machine:08}' AS volume,"
            " encode('/media/kites/' || (2010 + i // 300000) || '/shoot ' || lpad((i // 250)::VARCHAR, 5, '0'))"
            " AS folder,"
            " encode('WKD_' || lpad((i * 7 % 10000000)::VARCHAR, 7, '0') || '.jpg') AS name, 'photo' AS kind,"
            " 2000000 + (hash(i) % 9000000)::BIGINT AS size,"
            " 1600000000000000000 + i * 61000000000 + (hash(i + 1) % 1000000000)::BIGINT AS modified_ns,"
            " 131072 + i AS inode, 1::BIGINT AS links, 1000::BIGINT AS owner,"
            " (2000000 + (hash(i) % 9000000)::BIGINT) // 512 AS blocks, NULL::BIGINT AS extent,"
            " NULL::VARCHAR AS content,"
            " (hash(i + 2) // 2)::BIGINT AS ends,"
            f" unhex(sha256(CASE WHEN i % 5 = 0 THEN 'shared {machine // 2} ' ELSE '{name} ' END || i)) AS digest,"
            f" NULL::VARCHAR AS used, NULL::VARCHAR AS signals FROM range({rows}) t(i) ORDER BY digest)"
            f" TO '{path}' (FORMAT parquet, COMPRESSION zstd, ROW_GROUP_SIZE 122880,"
            f" KV_METADATA {{'{seal.HEAD_KEY}': '{told}', '{seal.SEAL_KEY}': '{seal.EMPTY_SEAL}'}})"
        )
    with open(path, "r+b") as file:
        seal.seal(file)
        os.fsync(file.fileno())
