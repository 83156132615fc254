"""What people decided in dockets that were not carried out: it holds in every later one, too."""

from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass, field

from foldkeep.model import Action, DocketRow

from ..by_hand import is_by_hand


@dataclass
class Decisions:
    """Decisions about files, by path, that a new docket takes over.

    Attributes
    ----------
    rows
        The rows of sets that somebody decided about.
    taken
        How many sets of the new docket were decided so; counted while it is written.
    """

    rows: Mapping[bytes, DocketRow] = field(default_factory=dict)
    taken: int = 0
    _proposed: dict[bytes, Action] = field(default_factory=dict)

    def __bool__(self) -> bool:
        return bool(self.rows)

    def noted(self, rows: Iterable[DocketRow]) -> Iterator[DocketRow]:
        """Yield rows of a new docket, and note what becomes in it of the files that were decided about."""
        taken = set()
        for row in rows:
            if row.path in self.rows:
                self._proposed[row.path] = row.action
                if is_by_hand(row):
                    taken.add(row.set)
            yield row
        self.taken += len(taken)

    def hold_in_new(self, rows: Collection[DocketRow]) -> bool:
        """Tell whether the new docket decides about files of an earlier one as these rows do."""
        return all(self._proposed.get(row.path) is row.action for row in rows)
