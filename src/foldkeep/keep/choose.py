"""Choosing the keepers of one set, and saying why."""

import os
from collections.abc import Container, Iterable, Mapping, Sequence
from functools import partial
from typing import NamedTuple

from foldkeep.find.references import package_folders
from foldkeep.model import Action, CopySet, Role, StockFile, visible
from foldkeep.model.disks import Disks, why_not_apart
from foldkeep.model.names import lies_below
from foldkeep.model.remote import SOMEBODY_ELSE, is_remote
from foldkeep.scan.disks import DisksOfFiles
from foldkeep.signals import MEDIA
from foldkeep.stock import Stock

from . import shapes
from .albums import Albums
from .aside import left_alone
from .by_hand import BY_HAND, decided_by_hand
from .companions import Companions
from .deliveries import Deliveries
from .keep_options import Wishes
from .program_folders import ProgramFolders
from .protect import parse_protection, protected_by
from .rules import SORTED, TOGETHER, Rule, Users, each, make_rules, that_may_decide
from .shapes import Shape, Tie, shape_of
from .together import FolderRanks

_AWAY = "its place is away"
_ON_A_SERVER = "on a server, where only what has the same content is folded"
_NOT_MINE = "somebody else's on the server: it frees nothing of yours, and may go at any time"
_UNUSED = "stays beside the copy that a document uses"
_ALBUM = "part of an album, which stays whole"
_COVER = "a cover, which stays with its music"
_SELECTED = "in a selection from several folders, which stays as they do"
_DELIVERED = "made by the project that it lies in; what was delivered stays as well"
WORKS = (_SELECTED, _DELIVERED)
"""What is said of copies that are a work of their own where they lie."""

_BESIDE = {
    _COVER: "stays beside its copy among music",
    _SELECTED: "stays beside its copy in a selection",
    _DELIVERED: "stays beside its copy in the project that made it",
}
"""What is said of a copy that would stay anyway, by what is said of the other that does."""

_PACKED = "in a package (a bag), which stays whole"
_NOT_PROVEN = "not proven to have the same content"
_NO_RULE = "no rule decides between these copies"
NOT_ASKED = "not among the files asked for, so it stays"
_ONLY = "the only copy at hand"
_ANOTHER = "another copy stays"
_SAME_FILE = "another name (hard link) of a file that stays: folding it frees nothing"


class Verdict(NamedTuple):
    """Proposal for one copy, and why."""

    copy: StockFile
    action: Action
    reason: str


class Choice(NamedTuple):
    """Proposal for a set.

    Attributes
    ----------
    decided
        False if no rule could tell which copy stays, or the contents are not proven to be the same.
    why
        The words of the rule that chose the first keeper; ``""`` where nothing goes.
    """

    verdicts: list[Verdict]
    decided: bool = True
    why: str = ""


class Chooser:
    """Chooses by the wishes of a person.

    Parameters
    ----------
    away
        Numbers of places whose drives are not here; their copies are left alone and choose nothing.
    users
        The catalogues that use each file. What one uses stays, unless a keeper is in that catalogue too or the
        wishes say that a link will be left.
    used
        For each file that the document of a project looks for where it lies, what is said of that.

    Raises
    ------
    UnusableInput
        If a rule or what is to be protected cannot be understood.
    """

    def __init__(
        self,
        stock: Stock,
        wishes: Wishes,
        away: Container[int] = (),
        users: Users | None = None,
        used: Mapping[bytes, str] | None = None,
    ) -> None:
        self.companions = Companions(stock)
        self._wishes = wishes
        self._away = away
        self._disks = DisksOfFiles(stock)
        self._packages = package_folders(stock)
        self._programs = None if wishes.takes_programs else ProgramFolders(stock)
        self._users = users or {}
        self.used = {} if wishes.leaves_links else used or {}
        self._protections = [parse_protection(text) for text in wishes.protect]
        words = list(wishes.rules)
        at = max(wishes.mine, words.index(TOGETHER) if TOGETHER in words else len(words))
        self._mine = make_rules(words[: wishes.mine], stock, self.companions, users)
        first, then = (
            make_rules([word for word in part if word != TOGETHER], stock, self.companions, users)
            for part in (words[wishes.mine : at], words[at:])
        )
        self._first = [
            rule._replace(kept=f"{rule.kept} (learned)") if rule.word in wishes.learned else rule
            for rule in that_may_decide(first, stock, self.companions, users)
        ]
        self._then = that_may_decide(then, stock, self.companions, users)
        self._albums = Albums(stock)
        self._orderly = make_rules([SORTED, "plain-name"], stock, self.companions)
        self._ranks = FolderRanks(stock.listing.in_folders(), self._then) if TOGETHER in words else None
        self._has_shapes = (
            self._ranks is not None
            and all(shapes.is_by_folder(rule.word) for rule in self._first)
            and not (self._mine or self._users or self.used)
            and not (wishes.give_up_under or wishes.per)
            and wishes.at_least == 1
        )
        self._deliveries = Deliveries(stock)
        self._has_learned = False
        self._ties: dict[Shape, Tie] = {}
        self._decided: dict[Shape, tuple[int, str, list[str]] | None] = {}

    def is_asked_for(self, one: CopySet) -> bool:
        """Tell whether a set has a file that was asked for."""
        return not self._wishes.wanted or any(map(self._wishes.wanted.takes, one.copies))

    def learn(self, sets: Iterable[CopySet]) -> None:
        """Look at every set once, so that ties between folders can be decided for the folders."""
        if self._ranks is None:
            return
        self._decided.clear()
        for one in sets:
            if shape := self._shape_of(one):
                self._ties[shape].note(one.copies, self._then)
                continue
            here = self._here(one)
            if one.digest is None or len(here) < 2:
                continue
            for group in self._groups(here):
                tied = self._tied(group, self._fixed(group))
                if one.kind == "audio":
                    self._albums.note(tied)
                paths = {copy.path for copy in tied}
                self._ranks.note(tied, [copy for copy in group if copy.path not in paths])
        for tie in self._ties.values():
            spared = [copy for at, copy in enumerate(tie.first) if at not in tie.tied]
            self._ranks.note_many([tie.first[at] for at in tie.tied], spared, tie.times, tie.counts(self._then))
        self._has_learned = True

    def _shape_of(self, one: CopySet) -> Shape | None:
        """Return the shape of a set, whose tie is known then; None if it must be looked at by itself."""
        if not self._has_shapes or one.digest is None or len(one.copies) < 2:
            return None
        kind = one.kind
        if kind == "audio" or (kind == "photo" and self._albums.with_music(one.copies)):
            return None
        shape = shape_of(one.copies)
        if shape is None or shape in self._ties:
            return shape
        if len(self._ties) >= shapes.MOST_SHAPES or any(map(self._apart, one.copies)):
            return None
        paths = {copy.path for copy in self._tied(one.copies, {})}
        self._ties[shape] = Tie(one.copies, [at for at, copy in enumerate(one.copies) if copy.path in paths])
        return shape

    def _choose_by_shape(self, one: CopySet) -> Choice | None:
        """Decide what was decided of another set that lies where this one does; None if that cannot be."""
        shape = self._shape_of(one)
        if shape is None:
            return None
        if shape not in self._decided and any(map(self._lies_in_selection, one.copies)):
            self._decided[shape] = None
        elif shape not in self._decided:
            keeper, why, against = self._decide(one.copies, {})
            said = [against.get(copy.path, _ANOTHER) for copy in one.copies]
            self._decided[shape] = (one.copies.index(keeper), why, said) if keeper else None
        decided = self._decided[shape]
        if decided is None:
            return None
        at, why, said = decided
        keeper = one.copies[at]
        verdicts = [Verdict(keeper, Action.KEEP, why)]
        for copy, reason in zip(one.copies, said, strict=True):
            if copy is not keeper:
                is_link = copy.identity == keeper.identity
                action = Action.LEAVE if is_link else Action.FOLD
                verdicts.append(Verdict(copy, action, _SAME_FILE if is_link else reason))
        return Choice(verdicts, why=why)

    def choose(self, one: CopySet, belongs: dict[bytes, str] | None = None, first: Sequence[Rule] = ()) -> Choice:
        """Decide what stays of a set: among all copies, whatever is protected or asked for.

        Of what lost, a protected copy stays nonetheless, and so does what is not asked for.

        Parameters
        ----------
        belongs
            Copies that stay for a reason of their own, by path.
        first
            Rules that are asked before those on single files, but after a person's own.
        """
        by_hand = decided_by_hand(one, self._wishes.decided, self._apart)
        choice = Choice([Verdict(*each) for each in by_hand], why=BY_HAND) if by_hand else None
        if choice is None and not (belongs or first):
            choice = self._choose_by_shape(one)
        return self._narrowed(choice or self._chosen(one, belongs or {}, first))

    def _narrowed(self, choice: Choice) -> Choice:
        """Return a choice in which only what may go does."""
        if not (self._protections or self._wishes.wanted):
            return choice
        verdicts = [
            verdict._replace(action=Action.LEAVE, reason=why)
            if verdict.action is Action.FOLD and (why := self.why_held(verdict.copy))
            else verdict
            for verdict in choice.verdicts
        ]
        return choice._replace(verdicts=verdicts)

    def why_held(self, copy: StockFile) -> str:
        """Return why a copy that lost stays: it is protected, or was not asked for; empty if it may go."""
        if why := protected_by(self._protections, copy):
            return f"{why}; it stays beside the keeper"
        wanted = self._wishes.wanted
        return "" if not wanted or wanted.takes(copy) else NOT_ASKED

    def _chosen(self, one: CopySet, belongs: dict[bytes, str], first: Sequence[Rule]) -> Choice:
        here = self._here(one)
        away = [Verdict(copy, Action.LEAVE, why) for copy in one.copies if (why := self._apart(copy))]
        if one.digest is None:
            return Choice([*away, *(Verdict(copy, Action.LEAVE, _NOT_PROVEN) for copy in here)], decided=False)
        fixed = self._fixed(here) | belongs
        if one.kind == "audio" and self._ranks is not None:
            tied = self._tied(here, fixed)
            fixed |= {copy.path: _ALBUM for copy in self._albums.whole(tied) if copy.path not in fixed}
        if all(copy.path in fixed for copy in here):
            return Choice([*away, *(Verdict(copy, Action.LEAVE, fixed[copy.path]) for copy in here)])
        keepers: dict[bytes, str] = {}
        against: dict[bytes, str] = {}
        for group in self._groups(here):
            keeper, why, spared = self._decide(group, fixed, first)
            if keeper is None:
                return Choice([*away, *(Verdict(copy, Action.LEAVE, _NO_RULE) for copy in here)], decided=False)
            keepers[keeper.path] = why if self._wishes.per is None else f"{why}; one stays per {self._wishes.per}"
            against |= spared
        self._keep_more(here, keepers, fixed)
        verdicts = _verdicts(here, keepers, fixed | self._used_of(here), against)
        if self._users and not self._wishes.leaves_links:
            verdicts = [self._unless_used(verdict, keepers) for verdict in verdicts]
        return Choice([*away, *verdicts], why=next(iter(keepers.values())))

    def _used_of(self, copies: Sequence[StockFile]) -> dict[bytes, str]:
        """Return the copies that stay where something looks for them, by path, with the reason."""
        found = {copy.path: self.used[copy.path] for copy in copies if copy.path in self.used}
        if self._ranks is None:
            return found
        covers = self._albums.covers(copies) if copies[0].kind == "photo" else []
        chosen = [copy for copy in copies if self._is_selected(copy)]
        films = [] if self._wishes.leaves_links else self._deliveries.made_in_projects(copies)
        return (
            {copy.path: _DELIVERED for copy in films}
            | {copy.path: _SELECTED for copy in chosen}
            | {copy.path: _COVER for copy in covers}
            | found
        )

    def _is_selected(self, copy: StockFile) -> bool:
        return copy.kind in MEDIA and self._lies_in_selection(copy)

    def _lies_in_selection(self, copy: StockFile) -> bool:
        """Tell whether a copy lies in a folder that is a selection; that can be told when every set was looked at."""
        if not self._has_learned or self._ranks is None or self._wishes.leaves_links:
            return False
        return self._ranks.is_in_selection(copy)

    def _unless_used(self, verdict: Verdict, keepers: Iterable[bytes]) -> Verdict:
        """Return a verdict, changed if a catalogue would lose the file."""
        having = frozenset[str]().union(*(self._users.get(path, frozenset()) for path in keepers))
        losing = self._users.get(verdict.copy.path, frozenset()) - having
        if verdict.action is not Action.FOLD or not losing:
            return verdict
        return Verdict(verdict.copy, Action.LEAVE, f"{visible(min(losing))} uses it, and not the copy that stays")

    def _here(self, one: CopySet) -> list[StockFile]:
        return [copy for copy in one.copies if not self._apart(copy)]

    def _apart(self, copy: StockFile) -> str:
        """Return why a copy neither goes nor lets others go; empty if it is one among the others."""
        if copy.owner == SOMEBODY_ELSE:
            return _NOT_MINE
        if copy.place.id in self._away:
            return _ON_A_SERVER if is_remote(copy.path) else _AWAY
        if any(lies_below(copy.path, package) for package in self._packages):
            return _PACKED
        return self._programs.why(copy.path) if self._programs else ""

    def _fixed(self, copies: Sequence[StockFile]) -> dict[bytes, str]:
        """Return the copies in places that are left alone, by path, with the reason."""
        if all(copy.place.role is Role.WORKING for copy in copies):
            return {}
        found = {copy.path: left_alone(copy.place.role, self._wishes.wanted.roles) for copy in copies}
        return {path: reason for path, reason in found.items() if reason}

    def _before_rules(self, fixed: dict[bytes, str]) -> list[Rule]:
        """Return what is asked first: my own rules, then which copies stay anyway, then which do not go first."""
        rules = [*self._mine]
        if fixed:
            reason = next(iter(fixed.values()))
            rules.append(Rule("", each(lambda copy: copy.path not in fixed), reason, "a copy stays that must not go"))
        for folder in self._wishes.give_up_under:
            shown = visible(folder)
            below = each(partial(_lies_under, folder))
            rules.append(Rule("", below, f"not under {shown}", f"under {shown}, which goes first"))
        return rules

    def _groups(self, copies: list[StockFile]) -> list[list[StockFile]]:
        """Return the copies by what each is to keep one of, in order of path."""
        groups: dict[object, list[StockFile]] = {}
        for copy in copies:
            of = {"volume": copy.volume, "place": copy.place.id, "role": copy.place.role}
            groups.setdefault(of.get(self._wishes.per or ""), []).append(copy)
        return list(groups.values())

    def _decide(
        self, copies: Sequence[StockFile], fixed: dict[bytes, str], first: Sequence[Rule] = ()
    ) -> tuple[StockFile | None, str, dict[bytes, str]]:
        """Return the keeper or None, the reason for it, and the reason against each other copy's path."""
        beside = self._used_of(copies)
        left = self._contenders(copies, beside)
        other = next((beside[copy.path] for copy in copies if copy not in left and copy.path in beside), "")
        alone = _ONLY if len(left) == len(copies) else _BESIDE.get(other, _UNUSED)
        why = fixed.get(left[0].path, beside.get(left[0].path, alone))
        against: dict[bytes, str] = {}

        def narrow_by(rule: Rule | FolderRanks) -> None:
            nonlocal left, why
            preferred = rule.narrow(left)
            if len(preferred) < len(left):
                kept, said = rule.words(left)
                paths = {copy.path for copy in preferred}
                against.update((copy.path, said[copy.path]) for copy in left if copy.path not in paths)
                left, why = preferred, kept

        for rule in (*self._before_rules(fixed), *first, *self._first):
            narrow_by(rule)
        if self._ranks is not None:
            narrow_by(self._ranks)
        for rule in self._then:
            narrow_by(rule)
        return (left[0], why, against) if len(left) == 1 else (None, "", {})

    def _tied(self, copies: Sequence[StockFile], fixed: dict[bytes, str]) -> list[StockFile]:
        """Return the copies between which the rules on single files do not decide."""
        tied = self._contenders(copies, self._used_of(copies))
        for rule in (*self._before_rules(fixed), *self._first):
            tied = rule.narrow(tied)
        return tied

    def _contenders(self, copies: Sequence[StockFile], used: Mapping[bytes, str]) -> list[StockFile]:
        """Return the copies among which the rules choose; `used` are those that stay where something looks for them.

        What a document uses stays anyway, and is by itself no reason for a sorted copy elsewhere to go; a copy in a
        dump goes if one that is used was sorted.
        """
        free = [copy for copy in copies if copy.path not in used]
        if not free or len(free) == len(copies):
            return list(copies)
        if copies[0].kind == "photo" and len(self._albums.with_music(copies)) == len(copies):
            return [copy for copy in copies if copy.path in used]  # the others' albums lie whole in theirs
        best = list(copies)
        for rule in self._orderly:
            best = rule.narrow(best)
        return [copy for copy in best if copy.path not in used] or best

    def _keep_more(self, here: list[StockFile], keepers: dict[bytes, str], fixed: dict[bytes, str]) -> None:
        """Add keepers until as many copies stay as are asked for, on disks without one first."""
        while True:
            staying = [copy for copy in here if copy.path in keepers or copy.path in fixed]
            files = {copy.identity for copy in staying}
            others = [copy for copy in here if copy.identity not in files]
            if len(files) >= self._wishes.at_least or not others:
                return
            elsewhere = self._on_other_disks(others, staying)
            keeper, _, _ = self._decide(elsewhere or others, fixed)
            chosen = keeper or (elsewhere or others)[0]
            where = ", this one on another disk" if elsewhere else ""
            keepers[chosen.path] = f"{self._wishes.at_least} copies are to stay{where}"

    def _on_other_disks(self, copies: list[StockFile], staying: list[StockFile]) -> list[StockFile]:
        """Return the copies on disks that are known to be others than those of all that stay."""

        def disks_of(copy: StockFile) -> Disks:
            return self._disks.of_place(copy.place, copy.volume, is_here=True)

        there = list(map(disks_of, staying))
        each_on = [(copy, disks_of(copy)) for copy in copies]
        return [copy for copy, disks in each_on if not any(why_not_apart(other, disks) for other in there)]


def _lies_under(folder: bytes, copy: StockFile) -> bool:
    return lies_below(copy.path, folder)


def _verdicts(
    here: list[StockFile], keepers: dict[bytes, str], fixed: dict[bytes, str], against: dict[bytes, str]
) -> list[Verdict]:
    staying = {copy.identity for copy in here if copy.path in keepers or copy.path in fixed}
    by_path = {copy.path: copy for copy in here}
    verdicts = [Verdict(by_path[path], Action.KEEP, why) for path, why in keepers.items()]
    for copy in here:
        if copy.path in keepers:
            continue
        if copy.path in fixed:
            verdicts.append(Verdict(copy, Action.LEAVE, fixed[copy.path]))
        elif copy.identity in staying:
            verdicts.append(Verdict(copy, Action.LEAVE, _SAME_FILE))
        else:
            verdicts.append(Verdict(copy, Action.FOLD, against.get(copy.path, _ANOTHER)))
    return verdicts


def sidecars_that_stay(stock: Stock, one: CopySet, going: Container[bytes]) -> dict[bytes, str] | None:
    """Return the sidecars of a set that stay because a file that they belong to does, by path, with the reason.

    None if none of them does, and one belongs to files that all go: it is to come along to their keeper then.

    Parameters
    ----------
    going
        Paths of files that are proposed to be folded.
    """
    found = {}
    comes_along = False
    for copy in one.copies:
        masters = stock.listing.masters(copy.path) if copy.kind == "sidecar" else []
        staying = [path for path in masters if path not in going]
        if staying:
            found[copy.path] = f"belongs to {visible(os.path.basename(staying[0]))}, which stays"
        comes_along = comes_along or (bool(masters) and not staying)
    return None if comes_along and not found else found
