"""Where a sheet is."""

from typing import NamedTuple

from foldkeep.model import visible
from foldkeep.model.units import format_size

from ..page.documents import Document
from ..page.page import STRONG, Page
from ..page.words import count


class SheetAnswer(NamedTuple):
    """Answer of `sheet`: where it is, and the picture of its first sets."""

    path: str
    size: int
    sets: int
    picture: str | None

    def document(self) -> Document:
        """Return the JSON document."""
        return {
            "command": "sheet",
            "sheet": self.path,
            "bytes": self.size,
            "sets": self.sets,
            "png": self.picture,
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        page.line(
            (count(self.sets, "set"), STRONG),
            f" on the page {visible(self.path)} ({format_size(self.size)}); open it in a browser.",
        )
        if self.picture:
            page.line(f"The first of them are drawn in {visible(self.picture)}.")
