"""What dockets teach, and which rules were taken."""

import shlex
from collections.abc import Sequence
from typing import NamedTuple

from foldkeep.keep.lessons import Lesson
from foldkeep.model import visible

from ..page.documents import Document
from ..page.page import CARE, STRONG, Page
from ..page.words import agree, count

_FEWEST = 3  # changes that a rule explains, to be told unasked


class LearnAnswer(NamedTuple):
    """Answer of `keep --learn`: the lesson, the rules that were taken, and the settings that have them."""

    lesson: Lesson
    taken: Sequence[str]
    settings: str

    def document(self) -> Document:
        """Return the JSON document."""
        return {
            "command": "keep",
            "changes": self.lesson.changes,
            "strange": self.lesson.strange,
            "offers": [
                {
                    "rule": offer.rule.word,
                    "explained": offer.rule.explained,
                    "contradicted": offer.rule.contradicted,
                    "other_sets": offer.others,
                    "taken": offer.rule.word in self.taken,
                }
                for offer in self.lesson.offers
            ],
            "settings": self.settings,
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        strange = self.lesson.strange
        if strange:
            are = agree(strange, "is", "are")
            page.line((f"{count(strange, 'set')} there {are} no copies that this stock knows: passed by.", CARE))
        if not self.lesson.changes:
            others = "of the others " if strange else ""
            page.line(f"Nothing {others}is decided otherwise than the rules do, so there is nothing to learn.")
        elif not self.lesson.offers:
            page.line(f"No rule decides as you did in {count(self.lesson.changes, 'set')}.")
        elif self.taken:
            page.line(
                f"{count(len(self.taken), 'rule')} learned, in {self.settings}; foldkeep keep --explain lists all."
            )
        else:
            page.line("No rule was taken; all stays as it was.")


def write_offer(page: Page, lesson: Lesson, at: int) -> None:
    """Write what one rule would have decided, before anybody is asked."""
    offer = lesson.offers[at]
    page.line(
        (f"{offer.rule.explained:,} of your {count(lesson.changes, 'change')}", STRONG),
        f": --prefer {shlex.quote(visible(offer.rule.word))} decides as you did.",
    )
    if offer.rule.contradicted:
        page.line((f"{count(offer.rule.contradicted, 'change')} it would have decided otherwise.", CARE), indent=2)
    if offer.others:
        others = f"{count(offer.others, 'set')} that you did not change"
        page.line(f"{others} would be decided otherwise than now.", indent=2)
    else:
        page.line("All sets that you did not change would be decided as now.", indent=2)


def lesson_words(lesson: Lesson, learn: str) -> str:
    """Return one sentence on the rule that explains most of a review; empty if there is none worth a word.

    `learn` is the command that learns it.
    """
    if not lesson.offers or lesson.offers[0].rule.explained < _FEWEST:
        return ""
    rule = lesson.offers[0].rule
    return (
        f"{rule.explained:,} of your {count(lesson.changes, 'change')} {agree(rule.explained, 'is', 'are')} what"
        f" --prefer {shlex.quote(visible(rule.word))} decides; to learn that: {learn}"
    )
