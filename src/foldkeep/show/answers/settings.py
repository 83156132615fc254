"""The settings in force."""

from collections.abc import Sequence
from typing import NamedTuple

from ..page.documents import Document
from ..page.page import QUIET, STRONG, Page
from ..page.tables import Column


class SettingsAnswer(NamedTuple):
    """Answer of `settings`."""

    path: str
    is_there: bool
    table: Sequence[tuple[str, str, bool]]

    def document(self) -> Document:
        """Return the JSON document."""
        return {
            "command": "settings",
            "file": self.path,
            "settings": {
                key: {"value": value, "from": "file" if given else "built in"} for key, value, given in self.table
            },
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        page.line(
            f"Settings file: {self.path}"
            + ("" if self.is_there else " (not there; write one to change what is built in)")
        )
        page.line()
        page.table(
            [Column("setting", style=STRONG), Column("value"), Column("from", style=QUIET)],
            [(key, value, "the file" if given else "built in") for key, value, given in self.table],
        )
