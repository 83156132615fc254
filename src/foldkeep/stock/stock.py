"""The stock as a file: opening it, holding it, changing it in one piece."""

import os
import sqlite3
import time
from collections.abc import Callable, Iterator
from contextlib import ExitStack, closing, contextmanager, suppress
from errno import ENOSPC
from importlib import import_module
from pathlib import Path
from types import TracebackType
from typing import TYPE_CHECKING, Self

from foldkeep.model import UnusableInput, visible
from foldkeep.model.work import many_rows, reason_of

from . import lock, reserve
from .schema import migrate

if TYPE_CHECKING:
    from .archives import Archives
    from .beginnings import Forms, Outlines
    from .catalogs import Catalogs
    from .checks import Checks
    from .checkups import CheckUps
    from .contents import Contents
    from .essences import Essences
    from .files import Files
    from .holdings import Holdings
    from .ledger import Ledger
    from .listing import Listing
    from .machine import ThisMachine
    from .measures import KnownMeasures
    from .moves import Moves
    from .places import Places
    from .sets import Sets
    from .signals import KnownSignals

LOCK_WAIT_SECONDS = 5.0
# With SQLite's own 2 MB, the indexes of a large stock are read again for every file that is written.
_CACHE_KIB = 64 * 1024
_CHECKPOINT_PAGES = 16 * 1024
_FULL = ("SQLITE_FULL", "SQLITE_IOERR")
_CLOSED = (*_FULL, "SQLITE_READONLY", "SQLITE_CANTOPEN")  # names of errors of a file that may only be read, or its disk
_HOMES = {"outlines": "beginnings", "forms": "beginnings"}  # of other tables, the module has their name


class Stock:
    """All that Fold Keep knows about the files in its places: one SQLite file.

    A stock is opened for one thread. Reading needs nothing more; to change it, hold it first, then
    change it in a transaction.
    """

    places: "Places"
    files: "Files"
    contents: "Contents"
    moves: "Moves"
    sets: "Sets"
    ledger: "Ledger"
    listing: "Listing"
    signals: "KnownSignals"
    essences: "Essences"
    outlines: "Outlines"
    forms: "Forms"
    measures: "KnownMeasures"
    catalogs: "Catalogs"
    archives: "Archives"
    checks: "Checks"
    checkups: "CheckUps"
    holdings: "Holdings"
    machine: "ThisMachine"

    def __init__(self, path: str, connection: sqlite3.Connection, *, only_reads: bool = False) -> None:
        self.path = path
        self._db = connection
        self._only_reads = only_reads
        self._rows = ExitStack()
        self._rows.enter_context(many_rows())

    if not TYPE_CHECKING:

        def __getattr__(self, name: str) -> object:
            # Each table is imported when it is first asked for: most commands ask two or three of them.
            made_by = Stock.__annotations__.get(name)
            if made_by is None:
                raise AttributeError(f"a stock has no {name}")
            module = import_module(f".{_HOMES.get(name, name)}", __package__)
            table = getattr(module, made_by)(self._db)
            setattr(self, name, table)
            return table

    @classmethod
    def open(cls, path: str, *, create: bool = False) -> Self:
        """Open the stock at `path`; one on a full disk, or that may not be written, to be read only, until it is held.

        Raises
        ------
        UnusableInput
            If there is none and `create` is false, or the file cannot be used as a stock.
        """
        if not create and not os.path.exists(path):
            raise UnusableInput(f"there is no stock yet at {visible(path)}", "scan a folder first: foldkeep scan DIR")
        try:
            os.makedirs(os.path.dirname(os.path.abspath(path)), exist_ok=True)
            try:
                return cls(path, _connected(path))
            except sqlite3.OperationalError as error:
                if create or not _is_closed(error):
                    raise
                return cls(path, _connected_to_read(path), only_reads=True)
        except (OSError, sqlite3.Error, ValueError) as error:
            raise _unusable(path, error) from error

    @contextmanager
    def hold(self, work: str, wait_seconds: float | None = None) -> Iterator[None]:
        """Keep every other Fold Keep from changing this stock until the block ends.

        `work` is the command's name, told to those who wait. On a full disk the room that was set aside is used now.

        Raises
        ------
        StockBusy
            After a short wait.
        UnusableInput
            If the stock cannot be written.
        """
        with lock.hold(self.path, work, LOCK_WAIT_SECONDS if wait_seconds is None else wait_seconds):
            given_up = 0
            if self._only_reads or reserve.is_full(self.path):
                given_up = reserve.give_up(self.path)
            else:
                reserve.set_aside(self.path)
            try:
                if self._only_reads:
                    self._open_to_write()
                yield
            finally:
                reserve.set_aside_again(self.path, given_up)

    def _open_to_write(self) -> None:
        self._db.close()
        try:
            self._db = _connected(self.path)
        except (OSError, sqlite3.Error, ValueError) as error:
            raise _unusable(self.path, error) from error
        self._only_reads = False
        for name in Stock.__annotations__.keys() & vars(self).keys():  # tables of the connection that was closed
            delattr(self, name)

    def holder(self) -> str:
        """Return who holds this stock now, as ``foldkeep fold, process 12``; empty if nobody does."""
        return lock.holder(self.path)

    @contextmanager
    def transaction(self, *, flush: bool = True) -> Iterator[Callable[[], None]]:
        """Make the changes in the block as one when it ends, or none of them.

        The function that the block is given makes what has been changed so far lasting and goes on.

        Parameters
        ----------
        flush
            Wait until the changes are on the disk. Without, they outlive this process but perhaps not a power
            cut: enough for what a scan can find out again, and a hundred times faster.
        """

        def renew() -> None:
            if self._db.in_transaction:  # unless it was interrupted right here, or rolled back by itself
                self._db.execute("COMMIT")
            self._db.execute("BEGIN IMMEDIATE")

        self._db.execute(f"PRAGMA synchronous = {'FULL' if flush else 'NORMAL'}")
        self._db.execute("BEGIN IMMEDIATE")
        try:
            yield renew
            self._db.execute("COMMIT")
        except BaseException:
            if self._db.in_transaction:  # a full disk makes SQLite roll back by itself
                self._db.execute("ROLLBACK")
            raise

    def close(self) -> None:
        """Close a stock that was not opened by ``with``."""
        self._rows.close()
        self._db.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        with self._rows, closing(self._db):
            # The disk may fill up, or the file prove damaged, at any query.
            if isinstance(error, sqlite3.Error):
                raise _unusable(self.path, error) from error


def _connected(path: str) -> sqlite3.Connection:
    connection = sqlite3.connect(path, isolation_level=None, timeout=LOCK_WAIT_SECONDS)
    try:
        migrate(connection)
        _use_log(connection)
        connection.execute("PRAGMA fullfsync = ON")  # macOS: through the drive's own cache
        connection.execute("PRAGMA foreign_keys = ON")
        connection.execute(f"PRAGMA cache_size = -{_CACHE_KIB}")
        connection.execute(f"PRAGMA temp.cache_size = -{_CACHE_KIB // 4}")
        connection.execute(f"PRAGMA wal_autocheckpoint = {_CHECKPOINT_PAGES}")
    except BaseException:
        connection.close()
        raise
    return connection


def _use_log(connection: sqlite3.Connection) -> None:
    """Have changes written to a log first; SQLite itself does not wait here for another who does the same."""
    until = time.monotonic() + LOCK_WAIT_SECONDS
    while True:
        try:
            connection.execute("PRAGMA journal_mode = WAL")
            return
        except sqlite3.OperationalError as error:
            if error.sqlite_errorcode & 0xFF != sqlite3.SQLITE_BUSY or time.monotonic() > until:
                raise
            time.sleep(0.02)


def _connected_to_read(path: str) -> sqlite3.Connection:
    """Open a stock beside which nothing can be written: its index of the log stays in memory (SQLite, wal.html §6).

    Where even that needs a file, the log must be empty: then the file alone says all.
    """
    connection = sqlite3.connect(path, isolation_level=None, timeout=LOCK_WAIT_SECONDS)
    try:
        connection.execute("PRAGMA locking_mode = EXCLUSIVE")
        connection.execute("PRAGMA temp_store = MEMORY")
        migrate(connection)
    except sqlite3.OperationalError as error:
        connection.close()
        log = path + "-wal"
        if not _is_closed(error) or (os.path.exists(log) and os.path.getsize(log)):
            raise
        connection = sqlite3.connect(f"{Path(path).absolute().as_uri()}?immutable=1", uri=True, isolation_level=None)
        connection.execute("PRAGMA temp_store = MEMORY")
        migrate(connection)
    return connection


def _is_closed(error: sqlite3.Error) -> bool:
    return getattr(error, "sqlite_errorname", "").startswith(_CLOSED)


def _unusable(path: str, error: Exception) -> UnusableInput:
    where = f"cannot use the stock {visible(path)}"
    name = getattr(error, "sqlite_errorname", "")
    with suppress(OSError):
        is_full = isinstance(error, OSError) and error.errno == ENOSPC
        if is_full or (name.startswith(_FULL) and reserve.is_full(path)):
            advice = "move or delete files there that you do not need, and run it again"
            return UnusableInput(f"{where}: its disk is full", advice)
    if name.startswith("SQLITE_READONLY"):
        return UnusableInput(f"{where}: it may only be read", "give it back the right to be written, or name another")
    why = reason_of(error) if isinstance(error, OSError) else str(error)
    return UnusableInput(f"{where}: {why}", "name another with --stock FILE")
