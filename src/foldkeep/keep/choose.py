"""Choosing a keeper for each set, and saying why."""

from collections.abc import Container, Iterable, Iterator, Sequence
from dataclasses import dataclass, field

from foldkeep.model import Action, CopySet, DocketRow, StockFile, freed_files

from .rules import DEFAULT_RULES, Rule

_AWAY = "its place is away"
_NOT_PROVEN = "not proven to have the same content"
_SAME_FILE = "another name (hard link) of the keeper: folding it frees nothing"


@dataclass
class Proposal:
    """What a docket proposes, counted while it is made.

    Attributes
    ----------
    spares
        Rows that propose to fold a file.
    reclaimable
        Bytes that come free when all of them are released.
    undecided
        Sets for which no rule could decide, or whose contents are not proven to be the same.
    """

    sets: int = 0
    spares: int = 0
    reclaimable: int = 0
    undecided: int = 0
    reasons: dict[str, int] = field(default_factory=dict)
    """How many keepers each rule decided for, by the rule's words."""


def propose(
    sets: Iterable[CopySet],
    proposal: Proposal,
    rules: Sequence[Rule] = DEFAULT_RULES,
    away: Container[int] = (),
) -> Iterator[DocketRow]:
    """Yield docket rows for sets, the keeper of each first, and count them into `proposal`.

    Parameters
    ----------
    away
        Numbers of places whose drives are not here; their copies are left alone and choose nothing.
    """
    for one in sets:
        proposal.sets += 1
        here = [copy for copy in one.copies if copy.place.id not in away]
        yield from (_row(one, copy, Action.LEAVE, _AWAY) for copy in one.copies if copy.place.id in away)
        keeper, why, against = _choose(here, rules) if one.digest and here else (None, "", {})
        if keeper is None:
            proposal.undecided += 1
            reason = "no rule decides between these copies" if one.digest else _NOT_PROVEN
            yield from (_row(one, copy, Action.LEAVE, reason) for copy in here)
            continue
        proposal.reasons[why] = proposal.reasons.get(why, 0) + 1
        yield _row(one, keeper, Action.KEEP, why)
        going = []
        for copy in here:
            if copy is keeper:
                continue
            if copy.identity == keeper.identity:
                yield _row(one, copy, Action.LEAVE, _SAME_FILE)
            else:
                going.append(copy)
                yield _row(one, copy, Action.FOLD, against[copy.path])
        proposal.spares += len(going)
        proposal.reclaimable += one.size * len(freed_files(going))


def _choose(copies: Sequence[StockFile], rules: Sequence[Rule]) -> tuple[StockFile | None, str, dict[bytes, str]]:
    """Return the keeper or None, the reason for it, and the reason against each other copy's path."""
    if len(copies) == 1:
        return copies[0], "the only copy at hand", {}
    left = list(copies)
    why = ""
    against: dict[bytes, str] = {}
    for rule in rules:
        preferred = rule.narrow(left)
        if len(preferred) < len(left):
            why = rule.kept
            against |= {copy.path: rule.spared for copy in left if copy not in preferred}
            left = preferred
        if len(left) == 1:
            return left[0], why, against
    return None, "", {}


def _row(one: CopySet, copy: StockFile, action: Action, reason: str) -> DocketRow:
    return DocketRow(one.id, action, copy.path, copy.size, copy.kind, copy.modified_ns, copy.digest, reason)
