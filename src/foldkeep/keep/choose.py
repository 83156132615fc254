"""Choosing a keeper for each set, and saying why."""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field

from foldkeep.model import Action, CopySet, DocketRow, StockFile, freed_files

from .rules import DEFAULT_RULES, Rule

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
        Sets for which no rule could decide.
    """

    sets: int = 0
    spares: int = 0
    reclaimable: int = 0
    undecided: int = 0
    reasons: dict[str, int] = field(default_factory=dict)
    """How many keepers each rule decided for, by the rule's words."""


def propose(
    sets: Iterable[CopySet], proposal: Proposal, rules: Sequence[Rule] = DEFAULT_RULES
) -> Iterator[DocketRow]:
    """Yield docket rows for sets, the keeper of each first, and count them into `proposal`."""
    for one in sets:
        proposal.sets += 1
        keeper, why, against = _choose(one.copies, rules)
        if keeper is None:
            proposal.undecided += 1
            for copy in one.copies:
                yield _row(one, copy, Action.LEAVE, "no rule decides between these copies")
            continue
        proposal.reasons[why] = proposal.reasons.get(why, 0) + 1
        yield _row(one, keeper, Action.KEEP, why)
        going = []
        for copy in one.copies:
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
