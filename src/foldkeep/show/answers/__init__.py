"""What each command found out or did, as people read it and as JSON: one module a command, each a face."""

from typing import Protocol

from ..page.documents import Document
from ..page.page import Page


class Answer(Protocol):
    """Answer of a command, in both its forms."""

    def document(self) -> Document:
        """Return the JSON document; what is an iterator in it is written item by item."""
        ...

    def write(self, page: Page) -> None:
        """Write it for people."""
        ...


__all__ = ["Answer"]
