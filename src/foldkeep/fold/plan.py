"""Checking a whole docket before anything is changed."""

from collections import defaultdict
from dataclasses import dataclass, field

from foldkeep.model import FOLD_NAME, Action, DocketRow, Place, UnusableInput, lies_below, visible

_AGAIN = "make the docket again with: foldkeep keep -o docket.csv"


@dataclass(frozen=True, slots=True)
class Item:
    """A file to fold: its docket row, the place that it lies in, and the copies that stay."""

    row: DocketRow
    place: Place
    keepers: list[bytes]


@dataclass
class Plan:
    """What a docket comes to: the files to fold by place, in the docket's order."""

    docket: str
    by_place: dict[bytes, list[Item]] = field(default_factory=dict)

    @property
    def items(self) -> list[Item]:
        """All the files to fold."""
        return [item for items in self.by_place.values() for item in items]

    @property
    def bytes(self) -> int:
        """The sum of their sizes."""
        return sum(item.row.size for item in self.items)


def make_plan(docket: str, rows: list[DocketRow], places: list[Place]) -> Plan:
    """Check a docket's rows against each other and against the places.

    Parameters
    ----------
    docket
        Where the docket lies; only to name it.

    Raises
    ------
    UnusableInput
        If a file is to go and to stay at once, a set would keep no copy, or a file lies in no place, in a
        fold, or its path leads up.
    """
    going = {row.path for row in rows if row.action is Action.FOLD}
    staying: dict[str, list[bytes]] = defaultdict(list)
    for row in rows:
        if not {FOLD_NAME, b"", b".", b".."}.isdisjoint(row.path.split(b"/")[1:]):
            raise UnusableInput(f"{visible(docket)} names a path that cannot be meant: {visible(row.path)}", _AGAIN)
        if row.action is not Action.FOLD:
            if row.path in going:
                raise UnusableInput(f"{visible(docket)} has {visible(row.path)} both staying and going", _AGAIN)
            # A keeper is asked before a copy that is merely left alone.
            at = 0 if row.action is Action.KEEP else len(staying[row.set])
            staying[row.set].insert(at, row.path)
    innermost_first = sorted(places, key=lambda place: -len(place.path))
    plan = Plan(docket)
    seen: set[bytes] = set()
    for row in rows:
        if row.action is not Action.FOLD or row.path in seen:
            continue
        seen.add(row.path)
        if not staying[row.set]:
            raise UnusableInput(
                f"{visible(docket)} keeps no copy in set {visible(row.set)}", "change one of its rows to keep"
            )
        place = _place_of(row.path, innermost_first)
        if place is None:
            raise UnusableInput(f"{visible(docket)} names a file that lies in no place: {visible(row.path)}", _AGAIN)
        plan.by_place.setdefault(place.path, []).append(Item(row, place, staying[row.set]))
    return plan


def _place_of(path: bytes, innermost_first: list[Place]) -> Place | None:
    return next((p for p in innermost_first if lies_below(path, p.path)), None)
