"""A docket under review: a person decides set by set, and what is decided is never lost."""

import os
from collections.abc import Iterable, Sequence

from foldkeep.model import Action, DocketRow, UnusableInput, visible
from foldkeep.model.names import lies_below

from .by_hand import BY_HAND, NOT_BY_HAND, ON_SHEET
from .docket import rows_by_set


class Review:
    """The sets of a docket in their order, each with its rows, and what is decided about them.

    Rows that are left for a reason (protected, another name of a keeper, away) stay so until they are named.
    """

    def __init__(self, rows: Iterable[DocketRow]) -> None:
        self._sets = rows_by_set(rows)
        self._before = dict(self._sets)
        self._names = list(self._sets)
        self._answers: list[tuple[int, dict[str, list[DocketRow]]]] = []

    def changes(self) -> tuple[dict[str, list[DocketRow]], dict[str, list[DocketRow]]]:
        """Return the sets that are not as they were read, by name: as they were, and as they are."""
        now = {name: rows for name, rows in self._sets.items() if rows != self._before[name]}
        return {name: self._before[name] for name in now}, now

    @property
    def changed(self) -> int:
        """How many sets the answers so far decided."""
        return sum(len(before) for _, before in self._answers)

    def __len__(self) -> int:
        return len(self._names)

    def rows(self, at: int) -> list[DocketRow]:
        """Return the rows of a set by its position from 0."""
        return self._sets[self._names[at]]

    def copy(self, at: int, number: int) -> DocketRow:
        """Return a copy of a set by its number, counted from 1; raise UnusableInput if there is none."""
        rows = self.rows(at)
        if not 1 <= number <= len(rows):
            raise UnusableInput(f"there is no copy {number} in this set", f"name one from 1 to {len(rows)}")
        return rows[number - 1]

    def is_decided(self, at: int) -> bool:
        """Tell whether a person has decided about a set, now or in an earlier review."""
        return any(row.reason in (BY_HAND, ON_SHEET) for row in self.rows(at))

    def all_rows(self) -> list[DocketRow]:
        """Return the rows of all sets as they are now."""
        return [row for rows in self._sets.values() for row in rows]

    def keep(self, at: int, numbers: Sequence[int]) -> None:
        """Keep these copies of a set, counted from 1, and give up the others.

        Raises
        ------
        UnusableInput
            If the set has no such copy.
        """
        for number in numbers:
            self.copy(at, number)
        self._answers.append((at, {}))
        rows = self.rows(at)
        undecided = all(row.action is Action.LEAVE for row in rows)

        def decided(number: int, row: DocketRow) -> DocketRow:
            if number in numbers:
                return row._replace(action=Action.KEEP, reason=BY_HAND)
            if row.action is Action.LEAVE and not undecided:
                return row
            return row._replace(action=Action.FOLD, reason=NOT_BY_HAND)

        self._set(at, [decided(number, row) for number, row in enumerate(rows, start=1)])

    def keep_all(self, at: int) -> None:
        """Keep every copy of a set."""
        self._answers.append((at, {}))
        self._set(at, [row._replace(action=Action.KEEP, reason=BY_HAND) for row in self.rows(at)])

    def give_up_folder(self, at: int, number: int) -> tuple[bytes, int]:
        """Give up what lies in the folder of a copy, in this set and all after it; return the folder and how many sets.

        A set of which every copy that may stay lies there is left as it is, and so is one that was decided
        about by hand.
        """
        folder = os.path.dirname(self.copy(at, number).path)
        self._answers.append((at, {}))
        changed = sum(
            self._without(later, folder) for later in range(at, len(self)) if later == at or not self.is_decided(later)
        )
        if not changed:
            self._answers.pop()
        return folder, changed

    def undo(self) -> int:
        """Take the last answer back, with all that it changed; return the position of the set that it was given for.

        Raises UnusableInput if none was given.
        """
        if not self._answers:
            raise UnusableInput("no answer was given yet that could be undone", "answer first")
        at, before = self._answers.pop()
        self._sets |= before
        return at

    def _without(self, at: int, folder: bytes) -> bool:
        """Give up a folder's copies in one set; return whether that changed anything."""
        rows = self.rows(at)
        inside = [lies_below(row.path, folder) for row in rows]
        others = [number for number, row in enumerate(rows) if not inside[number] and row.action is not Action.LEAVE]
        if not any(inside) or not others:
            return False
        stays = next((number for number in others if rows[number].action is Action.KEEP), others[0])
        shown = visible(folder)
        new = [
            row._replace(action=Action.FOLD, reason=f"{shown} is given up")
            if inside[number] and row.action is Action.KEEP
            else row._replace(action=Action.KEEP, reason=f"not in {shown}, which is given up")
            if number == stays and row.action is not Action.KEEP
            else row
            for number, row in enumerate(rows)
        ]
        if new == rows:
            return False
        self._set(at, new)
        return True

    def _set(self, at: int, rows: list[DocketRow]) -> None:
        _, before = self._answers[-1]
        before[self._names[at]] = self._sets[self._names[at]]
        self._sets[self._names[at]] = rows
