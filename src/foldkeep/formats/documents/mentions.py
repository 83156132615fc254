"""What the document of a project mentions: the files that a timeline refers to, and every other text in it.

Timelines (OpenTimelineIO, edit decision lists) tell exactly which media they use. Of other documents, and of what
stands elsewhere in these, only the texts are known.
"""

import os
from typing import NamedTuple

from foldkeep.model.catalogs import CatalogEntry
from foldkeep.model.kinds import suffix_of

from .texts import spelled_out, texts_of_file
from .timelines import edl_mentions, otio_mentions

_TIMELINES = {"otio": otio_mentions, "otioz": otio_mentions, "otiod": otio_mentions, "edl": edl_mentions}


class Mentions(NamedTuple):
    """Mentions of files in a document.

    Attributes
    ----------
    entries
        What a timeline refers to, by path or by name.
    texts
        Texts in which names and URIs may stand.
    reels
        Names of tapes, which a list may have cut to eight characters.
    """

    entries: tuple[CatalogEntry, ...] = ()
    texts: tuple[str, ...] = ()
    reels: tuple[str, ...] = ()


def mentions_in(path: bytes) -> Mentions:
    """Read what the document of a project mentions.

    Raises OSError, or ValueError if it is none of what can be looked through, so that it may mention anything.
    """
    reader = _TIMELINES.get(suffix_of(path.rpartition(b"/")[2]))
    if reader is None:
        return Mentions(texts=tuple(texts_of_file(path)))
    entries, texts, reels = reader(os.fsdecode(path))
    if reader is edl_mentions and not entries and not reels:
        raise ValueError("it names no clip")
    return Mentions(tuple(entries), tuple(spelled_out(text) for text in texts), tuple(reels))
