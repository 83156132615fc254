"""Finished films and mixes: what a project was for, which lies where renders lie but is nobody's cache."""

from collections.abc import Iterable, Sequence
from typing import NamedTuple

from foldkeep.formats.documents import timeline_seconds
from foldkeep.model.companions import stem_of
from foldkeep.signals import Measures
from foldkeep.stock import Seen

from .names import is_machine_made

EXPORTS = frozenset(
    b"export exports render renders rendered output outputs out final finals finished delivery deliveries"
    b" deliverables master masters mix mixes mixdown mixdowns bounce bounces print prints release releases".split()
)
"""Names of folders, in lower case, in which the trade puts what is finished."""

PLAYABLE = ("video", "audio")
_SLACK_SECONDS = 1.0  # an edit list counts in frames of a rate that it does not tell


class Candidate(NamedTuple):
    """A film or sound of a project: the file as the stock knows it, its kind, and the project's documents."""

    seen: Seen
    kind: str
    documents: Sequence[bytes]


def may_be_finished(path: bytes, kind: str, project: bytes | None) -> bool:
    """Tell whether a file lies and is called as something finished is: it must be played to know."""
    if kind not in PLAYABLE or project is None:
        return False
    *folders, name = path[len(project) :].lower().split(b"/")
    return not EXPORTS.isdisjoint(folders) and not is_machine_made(stem_of(name))


def finished_films(candidates: Iterable[Candidate], measures: Measures) -> set[bytes]:
    """Return the paths of those that play, and for at least as long as the shortest timeline of their project.

    Where no timeline of the project tells how long it is, whatever plays counts.
    """
    asked = list(candidates)
    seconds = measures.seconds((each.seen, each.kind) for each in asked)
    lengths: dict[bytes, float | None] = {}
    found = set()
    for each in asked:
        plays = seconds[each.seen]
        if plays is None:
            continue
        for document in each.documents:
            if document not in lengths:
                lengths[document] = timeline_seconds(document)
        known = [length for document in each.documents if (length := lengths[document]) is not None]
        if not known or plays >= min(known) - _SLACK_SECONDS:
            found.add(each.seen[0])
    return found
