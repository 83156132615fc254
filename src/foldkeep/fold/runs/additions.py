"""Plans of the methods that put good contents somewhere: copies into a folder, and good copies for damaged files."""

import os
from collections.abc import Iterable, Mapping

from foldkeep.model import Action, DocketRow, Method, PathBytes, Place, UnusableInput, visible
from foldkeep.model.names import common_folder, innermost, lies_below
from foldkeep.stock import Check

from .plan import Item, Plan, check_actions, check_path, device_of, place_of

_NOT_FOUND_DAMAGED = "fixity has not found it damaged, or it changed since; run foldkeep fixity again"
_NO_GOOD_COPY = "its set keeps no copy that has the content it had; see foldkeep fixity"


def addition_plan(
    docket: str, rows: list[DocketRow], places: list[Place], method: Method, into: PathBytes,
    damage: Mapping[PathBytes, Check], below: PathBytes = b"",
) -> Plan:  # fmt: skip
    """Plan `Method.COPY` or `Method.HEAL`.

    Parameters
    ----------
    into
        Absolute path of the folder that files are copied to; empty to heal.
    damage
        What fixity has found damaged, by path: no row is believed that.
    below
        Copies keep the folders that their files lie in below this one; empty for those below their place.

    Raises
    ------
    UnusableInput
        If a row's action is another method's, a path leads up, or what is written to lies in no place.
    """
    check_actions(docket, rows, method)
    return (
        _copies(docket, rows, places, into, below) if method is Method.COPY else _healed(docket, rows, places, damage)
    )


def _copies(docket: str, rows: list[DocketRow], places: list[Place], into: PathBytes, below: PathBytes) -> Plan:
    """Plan to copy files into a folder, with the folders that they lie in below one that is named, or their place.

    What lies in neither keeps those below the folder that all such rows of the docket have in common.
    """
    place_at = {place.path: place for place in places}
    top = innermost(place_at, into, itself=True)
    if top is None:
        raise UnusableInput(
            f"{visible(into)} lies in no place, so nobody would know of copies there",
            f"scan it first, as in: foldkeep scan {visible(into)} --role backup",
        )
    for row in rows:
        check_path(docket, row.path)
    named = {below} if below else set(place_at)
    tops = {row.path: innermost(named, row.path) or innermost(place_at, row.path) for row in rows}
    common = _common_folder(path for path, place in tops.items() if place is None)
    going = {row.path: row for row in rows if row.action is Action.COPY}
    several = len({tops[path] for path in going}) > 1
    plan = Plan(docket, Method.COPY, frozenset(tops.keys() - going.keys()), into=(into, device_of(into)))
    for path, row in going.items():
        base = tops[path] or common
        steps = [os.path.basename(base)] * several + [os.path.relpath(path, base)]
        target = os.path.join(into, *steps)
        if lies_below(path, into):
            refusal = f"it lies in {visible(into)} already"
            item = Item(row, place_at[top], [path], Method.COPY, target, refusal=refusal)
        else:
            item = Item(row, place_at[top], [path], Method.COPY, target)
        plan.by_place.setdefault(top, []).append(item)
    return plan


def _common_folder(paths: Iterable[PathBytes]) -> PathBytes:
    return common_folder([os.path.dirname(path) for path in paths]) or b"/"


def _healed(docket: str, rows: list[DocketRow], places: list[Place], damage: Mapping[PathBytes, Check]) -> Plan:
    """Plan to put good copies in the place of damaged files, which go into the fold."""
    place_at = {place.path: place for place in places}
    good: dict[str, list[DocketRow]] = {}
    for row in rows:
        check_path(docket, row.path)
        if row.action is not Action.HEAL:
            good.setdefault(row.set, []).append(row)
    plan = Plan(docket, Method.HEAL, frozenset(row.path for rows in good.values() for row in rows))
    for row in {row.path: row for row in rows if row.action is Action.HEAL}.values():
        place = place_of(docket, row.path, place_at)
        found = damage.get(row.path)
        kept_first = sorted(good.get(row.set, ()), key=lambda each: each.action is not Action.KEEP)
        having = [each.path for each in kept_first if found and each.digest == found.expected]
        refusal = "" if having else _NO_GOOD_COPY
        if found is None or found.found != (row.digest or b""):
            refusal = _NOT_FOUND_DAMAGED
        item = Item(
            row, place, [], Method.HEAL, refusal=refusal, good=having, expected=found.expected if found else b""
        )
        plan.by_place.setdefault(place.path, []).append(item)
    return plan
