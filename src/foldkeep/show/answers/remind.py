"""Reminders: what is set, and what would be written."""

import time
from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import NamedTuple

from foldkeep.model import visible
from foldkeep.model.reminders import Reminder
from foldkeep.model.units import format_moment

from ..page.documents import Document
from ..page.page import CARE, GAIN, QUIET, STRONG, Page
from ..page.words import local_time


class RemindAnswer(NamedTuple):
    """Answer of `remind`.

    Attributes
    ----------
    scheduler, reminder, looks_every
        Where it is set, what, and how often it is looked whether a check-up is due; None if nothing is set.
    last_ns
        When the last check-up of a reminder was, nanoseconds since the epoch; 0 if none was.
    files
        Where it is written.
    removed
        The schedulers from which a reminder was taken away just now.
    is_here
        Whether the scheduler runs now.
    """

    scheduler: str
    reminder: Reminder | None
    last_ns: int
    files: tuple[str, ...] = ()
    removed: tuple[str, ...] = ()
    looks_every: timedelta = timedelta(days=1)
    is_here: bool = True

    @property
    def next_ns(self) -> int:
        """When the next check-up is due, nanoseconds since the epoch; what is overdue comes at the next look."""
        now = datetime.now().astimezone()
        if self.reminder is None:
            return 0
        due = self.reminder.next_due(self.last_ns, now)
        if due <= now:
            look = self.reminder.next_due(0, now) - timedelta(days=1)
            due = look + self.looks_every * ((now - look) // self.looks_every + 1)
        return round(due.timestamp()) * 1_000_000_000

    def document(self) -> Document:
        """Return the JSON document."""
        set_ = self.reminder
        return {
            "command": "remind",
            "set": set_ is not None,
            "scheduler": self.scheduler or None,
            "runs": self.is_here if set_ else None,
            "every": set_.every if set_ else None,
            "at": set_.at if set_ else None,
            "by": set_.by if set_ else None,
            "next": format_moment(self.next_ns) if set_ else None,
            "last": format_moment(self.last_ns) if self.last_ns else None,
            "files": [visible(path) for path in self.files],
            "removed": list(self.removed),
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        for name in self.removed:
            page.line(f"The reminder of {name} is taken away.")
        if self.reminder is None:
            if not self.removed:
                page.line("No reminder is set.")
                page.line("Set one:  ", page.command("foldkeep remind --every 2w"))
            return
        page.line("A check-up every ", (self.reminder.every, STRONG), f" at {self.reminder.at}, by {self.scheduler}")
        page.line(f"You are told by {self.reminder.by}, if something needs attention.", indent=2)
        if self.is_here:
            page.line("next  ", (local_time(self.next_ns), GAIN), indent=2)
        else:
            page.line((f"{self.scheduler} does not run here now, so none comes", CARE), indent=2)
        page.line(f"last  {local_time(self.last_ns) if self.last_ns else 'none so far'}", indent=2)
        for path in self.files:
            page.line((f"set in {visible(path)}", QUIET), indent=2)


class ReminderDraft(NamedTuple):
    """What is about to be written for a reminder."""

    texts: Mapping[str, str]
    others: tuple[str, ...] = ()

    def write(self, page: Page) -> None:
        """Write it for people."""
        for path, text in self.texts.items():
            page.line((visible(path), STRONG))
            for line in text.splitlines():
                page.line((visible(line), QUIET), indent=2)
        for name in self.others:
            page.line(f"The reminder that is set by {name} is taken away.")


class RemindedAnswer(NamedTuple):
    """Answer of `remind --now` and `--if-due`: what was found, and where that was told."""

    due: bool
    wants_you: tuple[str, ...] = ()
    told: str = ""

    def document(self) -> Document:
        """Return the JSON document."""
        return {"command": "remind", "due": self.due, "wants_you": list(self.wants_you), "told": self.told or None}

    def write(self, page: Page) -> None:
        """Write it for people."""
        if self.told:
            page.line(f"{local_time(time.time_ns())}: told {self.told}")
