"""The database that asks inventories: DuckDB, in memory as far as it may, and in a folder of its own beyond that."""

import os
import shutil
import socket
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from typing import TYPE_CHECKING

from foldkeep.model import UnusableInput
from foldkeep.model.extras import need
from foldkeep.model.machines import machine_name

if TYPE_CHECKING:
    from duckdb import DuckDBPyConnection

MEMORY_BYTES = 4_000_000_000
"""Bytes that the database may hold in memory, unless somebody says otherwise; what is more it puts on the disk."""


@contextmanager
def database(memory: int = MEMORY_BYTES, beside: str | None = None) -> "Iterator[tuple[DuckDBPyConnection, str]]":
    """Open an empty database, and give the folder with it that is its own and goes with it.

    Parameters
    ----------
    memory
        Bytes that it may hold in memory.
    beside
        The folder in which its own folder is made; the system's for temporary files when None.

    Raises
    ------
    MissingExtra
        If it is not installed.
    UnusableInput
        If what is asked takes more memory, or more room on the disk, than there is.
    """
    need("fleet")
    import duckdb

    with own_folder(beside) as folder:
        connection = duckdb.connect(
            config={
                "memory_limit": f"{memory}B",
                "temp_directory": os.path.join(folder, "spilled"),
                "threads": os.cpu_count() or 1,
                # It takes nothing from the network, whatever a file asks for.
                "autoinstall_known_extensions": "false",
                "autoload_known_extensions": "false",
            }
        )
        try:
            yield connection, folder
        except (duckdb.OutOfMemoryException, duckdb.IOException) as error:
            line = str(error).partition("\n")[0]
            raise UnusableInput(
                f"the inventories cannot be asked: {line}", "give more --memory, or room in TMPDIR"
            ) from error
        finally:
            connection.close()


@contextmanager
def own_folder(beside: str | None = None) -> Iterator[str]:
    """Make a folder that goes at the end of the block, and when the process is killed, with the next one.

    Parameters
    ----------
    beside
        The folder in which it is made; the system's for temporary files when None.
    """
    where = beside or tempfile.gettempdir()
    _take_away_left_ones(where)
    with tempfile.TemporaryDirectory(prefix=f"{_start()}{os.getpid()}-", dir=where) as folder:
        yield folder


def _start() -> str:
    """Return what the names of such folders of this computer begin with; the process that has one comes behind."""
    return f"foldkeep-{machine_name(socket.gethostname())}-"


def _take_away_left_ones(where: str) -> None:
    """Take away the folders of processes that were killed: there may be gigabytes in them."""
    start = _start()
    with suppress(OSError):
        for name in os.listdir(where):
            process = name.removeprefix(start).partition("-")[0]
            if name.startswith(start) and process.isdecimal() and not _is_alive(int(process)):
                shutil.rmtree(os.path.join(where, name), ignore_errors=True)


def _is_alive(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except (PermissionError, OverflowError):
        return True
    return True


def plain_name(path: str, folder: str) -> str:
    """Return a name in the database's own folder for a file: in others DuckDB takes some characters for a glob."""
    link = os.path.join(folder, f"file-{len(os.listdir(folder))}.parquet")
    os.symlink(os.path.abspath(path), link)
    return link


def text(value: str) -> str:
    """Return a text as a question has it."""
    return "'" + value.replace("'", "''") + "'"


def blob(value: bytes) -> str:
    """Return bytes as a question has them."""
    return f"x'{value.hex()}'"
