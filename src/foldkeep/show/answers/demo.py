"""The guided example."""

from collections.abc import Sequence
from typing import NamedTuple

from foldkeep.model import visible

from ..page.documents import Document
from ..page.page import CARE, COMMAND, QUIET, STRONG, Page


class LibraryAnswer(NamedTuple):
    """Answer of `demo --library-only`."""

    folder: str

    def document(self) -> Document:
        """Return the JSON document."""
        return {"command": "demo", "folder": self.folder}

    def write(self, page: Page) -> None:
        """Write it for people."""
        page.line(f"The sample library is in {visible(self.folder)}")


class TourAnswer(NamedTuple):
    """Answer of `demo`."""

    folder: str
    stock: str
    statuses: Sequence[tuple[str, int, int]]
    files: int
    unchanged: bool

    def document(self) -> Document:
        """Return the JSON document."""
        return {
            "command": "demo",
            "folder": self.folder,
            "stock": self.stock,
            "steps": [{"line": line, "status": status} for line, status, _ in self.statuses],
            "files": self.files,
            "unchanged": self.unchanged,
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        page.line()
        if self.unchanged:
            page.line(
                f"All {self.files:,} files are what they were before: name, content, mode and time, each one compared."
            )
        else:
            page.line(("Something is not as it was before. That is a fault in Fold Keep: please tell us.", CARE))
        page.line(f"The library stays in {visible(self.folder)}: go on there, or delete the folder.")


def write_step(page: Page, words: str, line: str) -> None:
    """Write a step of the guided example: what it is for, and what a user would type."""
    if words:
        page.line()
        page.line((words, STRONG))
    page.line(("$ ", QUIET), (line, COMMAND))
