"""What this machine is called, what tells it from others, and whom it believes."""

import secrets
import socket
import sqlite3
import time
from collections.abc import Iterable

from foldkeep.model.machines import Machine, machine_name


class ThisMachine:
    """The machine that the stock is of."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._db = connection

    def get(self) -> Machine:
        """Return it; its name is the system's until it was given one."""
        id_, name = self._db.execute("SELECT id, name FROM machine").fetchone()
        return Machine(id_, name or machine_name(socket.gethostname().partition(".")[0]))

    def rename(self, name: str) -> None:
        """Give it a name."""
        self._db.execute("UPDATE machine SET name = ?", (name,))

    def key_of(self, machine: str) -> bytes | None:
        """Return the key of another machine by its id; None if it was never learned."""
        row = self._db.execute("SELECT key FROM machine_keys WHERE id = ?", (machine,)).fetchone()
        return bytes(row[0]) if row else None

    def learned(self) -> list[Machine]:
        """Return the machines whose keys are known, in order of name."""
        return [Machine(*row) for row in self._db.execute("SELECT id, name FROM machine_keys ORDER BY name, id")]

    def learn(self, machine: Machine, key: bytes) -> None:
        """Remember the key of another machine; its name may change, its key must be forgotten first."""
        self._db.execute(
            "INSERT INTO machine_keys VALUES (?, ?, ?) ON CONFLICT (id) DO UPDATE SET name = excluded.name"
            " WHERE key = excluded.key",
            (machine.id, machine.name, key),
        )

    def forget(self, machine: str) -> None:
        """Forget the key of another machine by its id; what it signs counts no more."""
        self._db.execute("DELETE FROM machine_keys WHERE id = ?", (machine,))

    def new_number(self, runs: Iterable[int]) -> bytes:
        """Return a new number, 32 bytes, that other machines are to sign before these runs are released."""
        number = secrets.token_bytes(32)
        now = time.time_ns()
        self._db.executemany("INSERT INTO numbers VALUES (?, ?, ?)", ((number, run, now) for run in runs))
        return number

    def number_made_ns(self, number: bytes, run: int) -> int | None:
        """Return when a number was drawn for a run; None if it was not, or has served."""
        row = self._db.execute("SELECT made_ns FROM numbers WHERE number = ? AND run = ?", (number, run)).fetchone()
        return row[0] if row else None

    def use_up(self, number: bytes) -> None:
        """Have a number serve no more."""
        self._db.execute("DELETE FROM numbers WHERE number = ?", (number,))
