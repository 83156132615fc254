"""What people decided otherwise than the rules: read from dockets that they changed, and what to learn from it."""

from collections.abc import Collection, Iterable, Mapping, Sequence
from typing import NamedTuple

from foldkeep.find.catalogs import uses
from foldkeep.find.references import ProjectFolders
from foldkeep.model import Action, CopySet, DocketRow, Place, Progress, Role, StockFile, no_progress
from foldkeep.model.catalogs import Catalog
from foldkeep.scan import Presence, presences
from foldkeep.stock import Stock

from ..choose import Chooser
from ..docket import rows_by_set
from ..in_use import InUse, uses_of_copies
from ..keep_options import Wishes
from ..rules import make_rules
from .learning import Decision, Learned, learn

CANDIDATES = ("plain-name", "named", "most-metadata", "oldest", "newest", "shortest-path", "longest-path")
"""Rules that are learned besides folders and places."""

_ANYWHERE = Place(0, b"/", Role.WORKING, "", 0)


class Offer(NamedTuple):
    """A learned rule, and how many sets it decides otherwise that nobody changed."""

    rule: Learned
    others: int


class Lesson(NamedTuple):
    """What dockets teach.

    Attributes
    ----------
    changes
        How many sets people decided otherwise than the rules.
    offers
        Rules that decide as they did.
    strange
        How many sets of the dockets are no copies in this stock, so that nothing can be told of them.
    """

    changes: int
    offers: list[Offer]
    strange: int = 0


def lesson_of(
    stock: Stock,
    dockets: Iterable[Iterable[DocketRow]],
    sets: Sequence[CopySet],
    wishes: Wishes,
    projects: ProjectFolders | None = None,
    catalogs: Iterable[Catalog] = (),
    progress: Progress = no_progress,
) -> Lesson:
    """Compare dockets that people changed with what the rules choose today, and return what is to be learned.

    Parameters
    ----------
    dockets
        The rows of each; of a set that stands in several, the last one counts.
    sets
        All sets of the stock.
    projects, catalogs
        As `propose_for` takes them: what they use stays anyway.
    """
    by_set: dict[str, list[DocketRow]] = {}
    for rows in dockets:
        by_set |= rows_by_set(rows)
    away = {place for place, now in presences(stock).items() if now not in (Presence.HERE, Presence.SERVER)}
    paths = (copy.path for one in sets for copy in one.copies)
    in_use = InUse() if projects is None else uses_of_copies(stock, projects, paths, progress)
    users = in_use.with_users(uses(stock, catalogs))

    def chooser_for(wished: Wishes) -> Chooser:
        made = Chooser(stock, wished, away, users, in_use.there)
        made.learn(sets)
        return made

    chooser = chooser_for(wishes)
    chosen = {one.id: _kept(chooser, one) for one in sets}
    # What the rules would have proposed before any was learned is no decision of a person's either.
    plain = chooser_for(wishes.unlearned()) if wishes.learned else chooser
    decisions = [
        decision
        for one in sets
        if one.id in by_set
        and (decision := _decision(one, by_set[one.id], (chosen[one.id], _kept(plain, one)))) is not None
    ]
    changed = {each.copies[0].digest for each in decisions}
    rules = make_rules(CANDIDATES, stock, chooser.companions)
    offers: list[Offer] = []
    words: list[str] = []
    for rule in learn(decisions, rules):
        words.append(rule.word)
        with_it = chooser_for(wishes.also(words))
        now = {one.id: _kept(with_it, one) for one in sets}
        others = sum(now[one.id] != chosen[one.id] for one in sets if one.digest not in changed)
        offers.append(Offer(rule, others))
        chosen = now
    return Lesson(len(decisions), offers, len(by_set.keys() - {one.id for one in sets}))


def lesson_of_rows(before: Iterable[DocketRow], after: Iterable[DocketRow]) -> Lesson:
    """Return what a changed docket teaches by itself, from its rows as they were proposed and as they are now."""
    proposed = rows_by_set(before)
    now = {name: rows for name, rows in rows_by_set(after).items() if name in proposed}
    return lesson_of_review(proposed, now)


def lesson_of_review(before: Mapping[str, Sequence[DocketRow]], after: Mapping[str, Sequence[DocketRow]]) -> Lesson:
    """Return what a review teaches by itself, from the rows of sets before and after it; it asks no stock."""
    decisions = []
    for name, rows in after.items():
        asked = [row for row in rows if row.action in (Action.KEEP, Action.FOLD)]
        kept = frozenset(at for at, row in enumerate(asked) if row.action is Action.KEEP)
        if {asked[at].path for at in kept} != {row.path for row in before[name] if row.action is Action.KEEP}:
            decisions.append(Decision(list(map(_file_of, asked)), kept))
    return Lesson(len(decisions), [Offer(rule, 0) for rule in learn(decisions)])


def _kept(chooser: Chooser, one: CopySet) -> frozenset[bytes]:
    return frozenset(each.copy.path for each in chooser.choose(one).verdicts if each.action is Action.KEEP)


def _decision(one: CopySet, rows: Sequence[DocketRow], chosen: Collection[frozenset[bytes]]) -> Decision | None:
    """Return what a person decided of a set; None if rules decide so, or nothing is decided in the docket."""
    actions = {row.path: row.action for row in rows}
    copies = [copy for copy in one.copies if actions.get(copy.path) in (Action.KEEP, Action.FOLD)]
    kept = frozenset(at for at, copy in enumerate(copies) if actions[copy.path] is Action.KEEP)
    if not kept or {copies[at].path for at in kept} in chosen:
        return None
    return Decision(copies, kept)


def _file_of(row: DocketRow) -> StockFile:
    return StockFile(row.path, row.size, row.modified_ns, row.kind, _ANYWHERE, 0, 0, 1, 0, row.digest)
