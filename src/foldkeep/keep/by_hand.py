"""What a person decided about a set: how a docket says so, and that it holds in later dockets."""

import re
from collections.abc import Callable, Iterable, Mapping

from foldkeep.formats import opened_file
from foldkeep.model import Action, CopySet, DocketRow, StockFile

from .docket import rows_by_set

BY_HAND = "chosen by hand"
NOT_BY_HAND = "another copy was chosen by hand"
ON_SHEET = "chosen in the sheet"
_NEW = "new since the other copies were decided on"
_REASONS = re.compile(
    f"{BY_HAND}|{NOT_BY_HAND}|{_NEW}"
    "|.* is given up|not in .*, which is given up"
    f"|{ON_SHEET}|its folder was given up in the sheet|kept, since the folder of another copy was given up",
    re.DOTALL,
)


_HANDS = re.compile(_REASONS.pattern.replace(".*", "").encode())  # in a line of a file, beside names of any kind


def names_hand(path: str) -> bool:
    """Tell whether a docket as Fold Keep wrote it may hold a decision: its rows are read only then.

    Raises
    ------
    OSError
        If the file cannot be read.
    """
    with opened_file(path) as stream:
        return any(map(_HANDS.search, stream))


def is_by_hand(row: DocketRow) -> bool:
    """Tell whether a person decided about a row: in a review, or on a sheet."""
    return _REASONS.fullmatch(row.reason) is not None


def decided_sets(
    rows: Iterable[DocketRow], proposed: Mapping[bytes, Action] | None = None
) -> dict[str, list[DocketRow]]:
    """Return the sets of a docket that a person decided about, each with all its rows.

    Parameters
    ----------
    proposed
        What was proposed of each path; a set of which that is otherwise now was decided in a spreadsheet.
    """
    decided = {}
    for name, found in rows_by_set(rows).items():
        if any(map(is_by_hand, found)):
            decided[name] = found
        elif proposed and any(proposed.get(row.path, row.action) is not row.action for row in found):
            decided[name] = [_marked(row) for row in found]
    return decided


def _marked(row: DocketRow) -> DocketRow:
    """Return a row that says of itself that a person decided it."""
    reasons = {Action.KEEP: BY_HAND, Action.FOLD: NOT_BY_HAND}
    return row._replace(reason=reasons.get(row.action, row.reason))


def decided_by_hand(
    one: CopySet, rows: Mapping[bytes, DocketRow], why_apart: Callable[[StockFile], str]
) -> list[tuple[StockFile, Action, str]]:
    """Return each copy of a set with what a person decided of it and why; nothing if nobody did, or none would stay.

    Parameters
    ----------
    rows
        What was decided, by path; it holds of a copy of the same set that has the same content still.
    why_apart
        Gives why a copy neither goes nor lets others go; empty if it is one among the others.
    """
    copies = one.copies
    known = {
        copy.path: row
        for copy in copies
        if (row := rows.get(copy.path)) and row.set == one.id and row.digest == copy.digest
    }
    if not known:
        return []
    found = []
    for copy in copies:
        row = known.get(copy.path)
        if row is not None and not (row.action is Action.FOLD and why_apart(copy)):
            found.append((copy, row.action, row.reason))
        elif why := why_apart(copy):
            found.append((copy, Action.LEAVE, why))
        else:
            found.append((copy, Action.KEEP, _NEW))
    if not any(known[copy.path].action is Action.KEEP and not why_apart(copy) for copy in copies if copy.path in known):
        return []
    return sorted(found, key=lambda each: each[1] is not Action.KEEP)
