"""A command that stopped midway."""

from typing import NamedTuple

from foldkeep.model.errors import InterruptedMidway, StoppedMidway

from ..page.documents import Document
from ..page.page import Page


class StoppedAnswer(NamedTuple):
    """Answer of a command that stopped midway, or was interrupted; for people its one line stands on standard error."""

    command: str
    stop: StoppedMidway | InterruptedMidway

    def document(self) -> Document:
        """Return the JSON document."""
        stop = self.stop
        return {"command": self.command, "run": stop.run, "stopped": stop.what, "remedy": stop.remedy}

    def write(self, page: Page) -> None:
        """Write nothing on the page."""
