"""Where room could come from."""

import shlex
from collections.abc import Sequence
from typing import NamedTuple

from foldkeep.find.space import VolumeSpace
from foldkeep.keep.room import RoomPlan
from foldkeep.model import visible
from foldkeep.model.units import format_size

from ..page.documents import Document
from ..page.page import CARE, GAIN, QUIET, STRONG, Page
from ..page.words import count


class RoomAnswer(NamedTuple):
    """Answer of `room`; `written` are the dockets of the steps, none where they were not asked for."""

    plan: RoomPlan
    volume: VolumeSpace
    written: Sequence[str]

    def document(self) -> Document:
        """Return the JSON document."""
        plan = self.plan
        return {
            "command": "room",
            "volume": {"key": self.volume.volume.key, "name": self.volume.volume.name, "bytes": self.volume.total,
                       "free": self.volume.free},
            "wanted": plan.wanted,
            "frees": plan.bytes,
            "missing": plan.missing,
            "steps": [
                {
                    "step": step.source.word,
                    "files": step.files,
                    "bytes": step.bytes,
                    "undo": step.source.undo,
                    "runs": step.runs,
                    "command": step.command(self._docket(number)),
                    "docket": self.written[number] if self.written else None,
                }
                for number, step in enumerate(plan.steps)
            ],
        }  # fmt: skip

    def _docket(self, number: int) -> str:
        return shlex.quote(self.written[number]) if self.written else "DOCKET"

    def write(self, page: Page) -> None:
        """Write it for people."""
        plan, volume = self.plan, self.volume
        share = volume.free / volume.total if volume.total else 0
        page.line((visible(volume.volume.name), STRONG), f": {format_size(volume.free)} free ({share:.0%})")
        if not plan.wanted:
            page.line("There is as much room as was asked for; nothing has to go.")
            return
        page.line("To come free: ", (format_size(plan.wanted), STRONG))
        page.line()
        freed = 0
        for number, step in enumerate(plan.steps):
            freed += step.bytes
            page.line(
                (f"{number + 1}  ", STRONG), (f"{format_size(step.bytes):>8}", GAIN), f"  {step.source.what}: ",
                count(step.files, "file"), hang=13,
            )  # fmt: skip
            page.line((f"comes back: {step.source.undo}", QUIET), indent=13)
            page.line(page.command(step.command(visible(self._docket(number)))), indent=13)
        if plan.steps:
            page.line()
        if plan.missing:
            what = "All of that frees" if plan.steps else "Nothing that could go is known, which frees"
            page.line((f"{what} {format_size(freed)}; {format_size(plan.missing)} are missing.", CARE))
            page.line("What is left is used, or lies once only: it takes a larger drive, or a person's choice.")
        else:
            page.line("That frees ", (format_size(freed), GAIN), ", which is enough.")
        if any("fold " in step.source.command for step in plan.steps):
            page.line(("What is folded frees its space when it is released.", QUIET))
        if not self.written and plan.steps:
            page.line(("-o DIR writes a docket for each step.", QUIET))
