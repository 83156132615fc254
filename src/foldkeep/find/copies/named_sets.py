"""Sets of media by the names that `duplicates` gives them."""

from foldkeep.signals import MediaReader
from foldkeep.stock import Stock

from .content_sets import Question
from .decoded import same_decoded
from .essences import same_essences
from .media_sets import MediaSet, Same

_FINDERS = {Same.ESSENCE: same_essences, Same.DECODED: same_decoded}


def media_set(stock: Stock, reader: MediaReader, name: str) -> MediaSet | None:
    """Return the set of a name, as `duplicates` gives it; None if there is none that is known."""
    for same, finder in _FINDERS.items():
        for question in (Question(), Question(across=True)) if name.startswith(same[0]) else ():
            if found := finder(stock, reader, question, name):
                return found[0]
    return None
