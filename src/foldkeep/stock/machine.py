"""What this machine is called, and what tells it from others."""

import socket
import sqlite3

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
