"""Dockets that are remembered: which one is in use, and what waits."""

import time

from foldkeep.keep.register import MadeDocket, ToldDocket
from foldkeep.model import visible
from foldkeep.model.units import format_moment, format_span

from ..page.documents import Document
from ..page.words import count, figures, local_time

_SECOND = 1_000_000_000
_MINUTE = 60


def docket_words(told: ToldDocket) -> str:
    """Return one sentence on a docket: which it is, how old, how much it proposes, how much a person decided in it."""
    made = told.made
    seconds = (time.time_ns() - made.made_ns) // _SECOND
    age = f"{format_span(seconds)} old" if seconds >= _MINUTE else "made just now"
    size = figures(made.spares, made.sets, 0, made.size)
    by_hand = f"; you decided {count(told.decided, 'set')}" if told.decided else ""
    changed = "; another program changed it since" if told.is_changed else ""
    return f"{visible(made.shown)}, {age} ({visible(made.command)}): {size}{by_hand}{changed}."


def nothing_words(last: MadeDocket | None) -> str:
    """Return one sentence on why no docket waits; `last` is the one that was carried out last."""
    if last is None:
        return "Nothing to do: no docket (list of proposals) that proposes anything was made yet."
    when = local_time(last.begun_ns or last.made_ns)
    return (
        f"Nothing to do: {visible(last.shown)} was carried out in run {last.runs[-1]}, {when}; no other docket waits."
    )


def docket_document(told: ToldDocket) -> Document:
    """Return a docket that is remembered as part of a JSON document."""
    made = told.made
    return {
        "name": made.name,
        "docket": made.path,
        "made": format_moment(made.made_ns),
        "asked": made.command,
        "state": str(told.state),
        "sets": made.sets,
        "spares": made.spares,
        "bytes": made.size,
        "decided": told.decided,
        "superseded_by": made.superseded_by or None,
        "runs": list(made.runs),
        "left": made.left,
    }
