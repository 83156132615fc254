"""Rules that are learned from what people decided."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .decided import Lesson, Offer, lesson_of, lesson_of_review, lesson_of_rows
    from .learning import Decision, Learned, learn

__all__ = ["Lesson", "Offer", "lesson_of", "lesson_of_review", "lesson_of_rows", "Decision", "Learned", "learn"]

__getattr__ = names_of(__name__, __file__)
