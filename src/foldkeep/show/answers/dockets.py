"""Dockets that are remembered: which one is in use, and what waits."""

import time
from typing import NamedTuple

from foldkeep.keep.register import DocketState, MadeDocket
from foldkeep.model import visible
from foldkeep.model.units import format_moment, format_span

from ..page.documents import Document
from ..page.words import count, figures, local_time

_SECOND = 1_000_000_000
_MINUTE = 60


class ToldDocket(NamedTuple):
    """A docket that is told of: its name, what became of it, how many sets a person decided, who changed it."""

    made: MadeDocket
    name: str
    state: DocketState
    decided: int
    is_changed: bool

    @property
    def waits(self) -> bool:
        """Tell whether it may still be carried out."""
        return self.state in (DocketState.OPEN, DocketState.BEGUN)


def docket_words(made: MadeDocket, name: str, decided: int, *, is_changed: bool) -> str:
    """Return one sentence on a docket: which it is, how old, how much it proposes, how much a person decided in it."""
    seconds = (time.time_ns() - made.made_ns) // _SECOND
    age = f"{format_span(seconds)} old" if seconds >= _MINUTE else "made just now"
    size = figures(made.spares, made.sets, 0, made.size)
    by_hand = f"; you decided {count(decided, 'set')}" if decided else ""
    changed = "; another program changed it since" if is_changed else ""
    return f"{visible(name)}, {age} ({visible(made.command)}): {size}{by_hand}{changed}."


def nothing_words(last: MadeDocket | None = None, name: str = "") -> str:
    """Return one sentence on why no docket waits; `last` was carried out last, and is called `name`."""
    if last is None:
        return "Nothing to do: no docket (list of proposals) that proposes anything was made yet."
    when = local_time(last.begun_ns or last.made_ns)
    return f"Nothing to do: {visible(name)} was carried out in run {last.runs[-1]}, {when}; no other docket waits."


def docket_document(made: MadeDocket, state: DocketState, decided: int) -> Document:
    """Return a docket that is remembered as part of a JSON document."""
    return {
        "name": made.name,
        "docket": made.path,
        "made": format_moment(made.made_ns),
        "asked": made.command,
        "state": str(state),
        "sets": made.sets,
        "spares": made.spares,
        "bytes": made.size,
        "decided": decided,
        "superseded_by": made.superseded_by or None,
        "runs": list(made.runs),
        "left": made.left,
    }
