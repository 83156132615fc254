"""The guide: what was done in one sitting, and how to go on."""

from collections.abc import Sequence
from typing import NamedTuple

from foldkeep.model import visible

from ..page.documents import Document
from ..page.page import GAIN, STRONG, Page

_MEANINGS = {
    "unfold": "brings all of it back",
    "release": "weeks later: deletes what was folded, and frees the space",
    "remind": "looks at everything every two weeks, and tells you",
    "review": "looks at the proposal set by set",
    "fold": "folds the spares away; it asks first",
    "guide": "goes on",
    "checkup": "looks at everything and says what needs attention",
}


class GuideAnswer(NamedTuple):
    """Answer of `guide`.

    Attributes
    ----------
    done
        The commands that were carried out.
    docket
        The proposal, or what was made of it; empty if there is none.
    run
        The number of the run that folded; 0 if nothing was folded.
    going_on
        Commands to go on with.
    """

    done: Sequence[str]
    docket: str
    run: int
    going_on: Sequence[str]

    def document(self) -> Document:
        """Return the JSON document."""
        return {
            "command": "guide",
            "carried_out": list(self.done),
            "docket": self.docket or None,
            "run": self.run or None,
            "going_on": list(self.going_on),
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        page.heading("What now")
        if self.run:
            page.line("The spares are in the fold, run ", (str(self.run), STRONG), "; ", ("no space is free yet", GAIN))
        else:
            page.line("Nothing was folded.")
        for command in self.going_on:
            page.line(page.command(visible(command)), indent=2)
            page.line(_MEANINGS[command.split()[1]], indent=4)
