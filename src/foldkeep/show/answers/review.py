"""One set of a docket, for a person who has to choose; and what the choices came to."""

import os
import shlex
from collections.abc import Sequence
from typing import NamedTuple

from foldkeep.keep.lessons import Lesson
from foldkeep.model import Action, DocketRow, Facts, visible
from foldkeep.model.machines import is_elsewhere
from foldkeep.model.names import common_folder
from foldkeep.model.remote import is_remote
from foldkeep.model.units import format_size
from foldkeep.signals import CopyState

from ..page.documents import Document
from ..page.facts import fact_words, link_words, sidecar_words
from ..page.page import CARE, QUIET, STRONG, Page
from ..page.tables import Column
from ..page.words import count, joined, local_time
from .learn import lesson_words

_MOST_NAMED = 3
HELP = """\
  2            keep copy 2, give up the others       1 3    keep copies 1 and 3
  all, no      keep every copy: nothing goes         Enter  as proposed; so does yes
  give 2       give up the folder of copy 2 here and in all sets that follow
  open 2       open copy 2                           back   to the set before
  folder 2     open the folder of copy 2             undo   take the last answer back
  stop         save and stop                         help   this list
The first letter of a word will do.
"""


class ReviewAnswer(NamedTuple):
    """Answer of `review`.

    Attributes
    ----------
    saved
        Where decisions were saved; None if there were none.
    left
        How many sets were not decided by hand.
    name, proposal
        What a person types for the docket that has the decisions, and where the proposal is kept; empty if nowhere.
    """

    docket: str
    saved: str | None
    sets: int
    changed: int
    left: int
    lesson: Lesson = Lesson(0, [])
    name: str = ""
    proposal: str = ""

    def document(self) -> Document:
        """Return the JSON document."""
        return {
            "command": "review",
            "docket": self.saved or self.docket or None,
            "name": self.name or None,
            "sets": self.sets,
            "changed": self.changed,
            "undecided": self.left,
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        if self.saved is None:
            page.line(f"Nothing was changed; {visible(self.name)} is as it was.")
            return
        if not self.changed:
            page.line(f"Nothing is decided; {visible(self.name)} says what it said before.")
            return
        rest = f"; {count(self.left, 'set')} not decided by hand." if self.left else "."
        page.line((count(self.changed, "decision"), STRONG), f" saved in {visible(self.name)}{rest}")
        if self.proposal:
            page.line((f"The proposal as it was: {visible(self.proposal)}", QUIET))
        if words := lesson_words(self.lesson, page.command(f"foldkeep keep --learn {shlex.quote(self.name)}")[0]):
            page.line(words)


def write_set(
    page: Page, at: int, total: int, rows: Sequence[DocketRow], looks: Sequence[CopyState], says: Sequence[Facts]
) -> None:
    """Write one set; what files of several contents say of themselves stands side by side where it differs.

    Parameters
    ----------
    says
        What each file says of itself; empty if that is not asked, since all have one content.
    """
    first = rows[0]
    if len({(row.size, row.digest) for row in rows}) == 1:
        what = f"{visible(first.kind)}, {format_size(first.size)}, {count(len(rows), 'copy', 'copies')}"
    else:
        what = f"{visible(first.kind)}, {count(len(rows), 'file')} of different content"
    page.rule(what, f"{at + 1:,} of {total:,}")
    folders = [os.path.dirname(row.path) for row in rows]
    top = common_folder(folders)
    columns = {
        "name": [visible(os.path.basename(row.path)) for row in rows],
        "folder": [visible(folder[len(top) :].lstrip(b"/") or b"." if top else folder) for folder in folders],
        "modified": [_modified(row, look) for row, look in zip(rows, looks, strict=True)],
        "on disk": [_on_disk(row, look) for row, look in zip(rows, looks, strict=True)],
        "links": [link_words(look) for look in looks],
        "written about it": [sidecar_words(look) for look in looks],
        **_said(says),
    }
    common = {title: cells[0] for title, cells in columns.items() if len(set(cells)) == 1}
    said = [f"{title} {cell}" for title, cell in common.items() if cell and title != "folder"]
    if top:
        page.line(("all in ", QUIET), visible(top), ("".join(f"; {part}" for part in said), QUIET))
    elif said:
        page.line((f"all with {'; '.join(said)}", QUIET))
    different = [title for title in columns if title not in common]
    page.table(
        [
            Column("", whole=True),
            Column("proposed", whole=True),
            *(Column(title, title == "on disk", whole=title in ("modified", "links")) for title in different),
        ],
        [
            (str(number + 1), str(row.action), *(columns[title][number] for title in different))
            for number, row in enumerate(rows)
        ],
    )
    reasons: dict[str, list[str]] = {}
    for number, row in enumerate(rows, start=1):
        reasons.setdefault(row.reason, []).append(str(number))
    for reason, numbers in reasons.items():
        page.line((f"{', '.join(numbers)}: {visible(reason)}", QUIET))


def write_going(page: Page, rows: Sequence[DocketRow]) -> None:
    """Name the files of a set that go by an answer."""
    going = [visible(row.path) for row in rows if row.action is Action.FOLD]
    if going:
        more = f" and {count(len(going) - _MOST_NAMED, 'other')}" if len(going) > _MOST_NAMED else ""
        page.line((f"goes: {', '.join(going[:_MOST_NAMED])}{more}", QUIET))


def _modified(row: DocketRow, look: CopyState) -> str:
    if is_remote(row.path) or is_elsewhere(row.path):
        return local_time(row.modified_ns)
    return local_time(look.modified_ns) if look.here else "not there"


def _on_disk(row: DocketRow, look: CopyState) -> str:
    if is_remote(row.path):
        return "on a server"
    if is_elsewhere(row.path):
        return "on another machine"
    return format_size(look.disk_bytes) if look.here else ""


def _said(says: Sequence[Facts]) -> dict[str, list[str]]:
    """Return what files say of themselves where not all say the same, by what it is called."""
    words = [fact_words(each) for each in says]
    titles = dict.fromkeys(title for each in words for title in each)
    cells = {title: [each.get(title, "") for each in words] for title in titles}
    return {title: each for title, each in cells.items() if len(set(each)) > 1}


def question_of(rows: Sequence[DocketRow]) -> str:
    """Return the question for a set: it says first what stays if nothing else is answered."""
    kept = [str(number) for number, row in enumerate(rows, start=1) if row.action is not Action.FOLD]
    if all(row.action is Action.LEAVE for row in rows):
        proposed = "Enter leaves it undecided"
    elif len(kept) == len(rows):
        proposed = "Enter keeps all"
    else:
        proposed = f"Enter keeps {joined(kept)}"
    return f"{proposed}; else which stay? (numbers, all, give, undo, back, stop, help) "


def write_refusal(page: Page, words: str) -> None:
    """Write why an answer was not understood."""
    page.line((words, CARE))
