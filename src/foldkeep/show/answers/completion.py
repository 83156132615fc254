"""Lines for shells."""

from collections.abc import Sequence
from typing import NamedTuple

from ..page.documents import Document
from ..page.page import Page


class LinesAnswer(NamedTuple):
    """Answer of `completion`: a script, or values, a line each, which are never wrapped."""

    what: str
    lines: Sequence[str]

    def document(self) -> Document:
        """Return the JSON document."""
        return {"command": "completion", self.what: list(self.lines)}

    def write(self, page: Page) -> None:
        """Write it for shells."""
        page.verbatim(self.lines)
