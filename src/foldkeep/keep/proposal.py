"""From sets to the rows of a docket."""

from collections import Counter
from collections.abc import Container, Iterable, Iterator, Sequence
from dataclasses import dataclass, field

from foldkeep.find.catalogs import uses
from foldkeep.find.copies import Duplicates, MediaSet, OtherSets, Question, duplicates
from foldkeep.find.references import ProjectFolders
from foldkeep.model import Action, CopySet, DocketRow, PathBytes, Problem, Progress, Step, StockFile, no_progress
from foldkeep.model.catalogs import Catalog
from foldkeep.model.files import freed_files
from foldkeep.model.names import folders_above
from foldkeep.model.work import told
from foldkeep.scan import Presence, presences
from foldkeep.stock import Stock

from .choose import NOT_ASKED, WORKS, Choice, Chooser, sidecars_that_stay
from .in_use import InUse, uses_of_copies
from .keep_options import Wishes
from .protect import PROTECTED
from .rules import Users


@dataclass
class Proposal:
    """Counts of what a docket proposes, taken while it is made.

    Attributes
    ----------
    spares
        Rows that propose to fold a file.
    reclaimable
        Bytes that come free when all of them are released.
    undecided
        Sets for which no rule could decide, or whose contents are not proven to be the same.
    all_stay
        Sets of which every copy stays for a reason of its own.
    decoded
        Those of them whose files decode to the same, so that a person decides.
    protected, protected_bytes
        Files that stay beside their keepers since they are protected, and the sum of their sizes.
    elsewhere
        Sets with a file that was asked for of which what may go was not: how many, by the folder at the top of a place
        that has that.
    both_stay, in_use
        Sets of which a copy stays only since a document of a project uses it, and bytes of such copies: links or clones
        in their place would free them.
    works, works_bytes
        Files that stay since they are a work where they lie: of a selection, or a film in the project that made it; and
        bytes of them that links would free.
    emptied
        Folders of which every file that the stock knows goes, and of the folders below them.
    sidecars
        Sidecars that lie beside spares; those that fit go along with them when they are folded.
    reasons
        How many keepers each rule decided for, by the rule's words.
    problems
        Documents that cannot be read, so that all of their projects stays.
    """

    sets: int = 0
    spares: int = 0
    reclaimable: int = 0
    undecided: int = 0
    all_stay: int = 0
    decoded: int = 0
    protected: int = 0
    protected_bytes: int = 0
    elsewhere: Counter[PathBytes] = field(default_factory=Counter)
    both_stay: int = 0
    works: int = 0
    works_bytes: int = 0
    in_use: int = 0
    emptied: int = 0
    sidecars: int = 0
    reasons: Counter[str] = field(default_factory=Counter)
    problems: list[Problem] = field(default_factory=list)

    def count(self, choice: Choice, spares: int, reclaimable: int) -> None:
        """Count what was chosen of a set: spares, and bytes that come free with them."""
        self.sets += 1
        self.spares += spares
        self.reclaimable += reclaimable
        if not choice.decided:
            self.undecided += 1
        elif not choice.why:
            self.all_stay += 1
        elif not spares:
            pass  # what may go is protected, or was not asked for
        else:
            self.reasons[choice.why] += 1

    def count_held(self, choice: Choice, folded: Sequence[StockFile]) -> None:
        """Count what stays of a set only since it is protected, or was not asked for."""
        if held := [each.copy for each in choice.verdicts if each.reason.startswith(PROTECTED)]:
            sizes = {copy.identity: copy.size for copy in held}
            self.protected += len(held)
            self.protected_bytes += sum(sizes[each] for each in freed_files(held))
        lost = {_top_folder(each.copy) for each in choice.verdicts if each.reason == NOT_ASKED}
        if lost and not folded:
            self.elsewhere.update(lost)

    def counted(self, sets: Iterable[MediaSet]) -> Iterator[MediaSet]:
        """Yield sets of which a person decides, and count them."""
        for each in sets:
            self.sets += 1
            self.undecided += 1
            self.decoded += 1
            yield each


def _top_folder(copy: StockFile) -> PathBytes:
    """Return the folder at the top of its place that has a file; the place, if it lies there itself."""
    place = copy.place.path.rstrip(b"/")
    first, _, below = copy.path[len(place) + 1 :].partition(b"/")
    return place + b"/" + first if below else copy.place.path


def propose_for(
    stock: Stock,
    question: Question,
    wishes: Wishes,
    projects: ProjectFolders | None,
    catalogs: Iterable[Catalog],
    proposal: Proposal | None = None,
    progress: Progress = no_progress,
    essences: Sequence[MediaSet] = (),
) -> Iterator[DocketRow]:
    """Find sets and what uses their copies, and yield docket rows as `propose` does.

    Parameters
    ----------
    question
        Of which sets the rules learn; a filter belongs into the wishes, or it would change which copies stay.
    projects
        Of which the documents are asked what they use; None not to ask.
    catalogs
        That are asked what they use.
    essences
        Sets of one essence, whose contents are left to `propose_essences`.
    """
    proposal = Proposal() if proposal is None else proposal
    progress(Step("Comparing contents", 0, None, "files"))
    found = OtherSets(duplicates(stock, question), essences)
    away = {place for place, now in presences(stock).items() if now not in (Presence.HERE, Presence.SERVER)}
    paths = (copy.path for one in found.sets() for copy in one.copies)
    in_use = InUse() if projects is None else uses_of_copies(stock, projects, paths, progress)
    proposal.problems = list(in_use.problems)
    yield from propose(stock, found, wishes, proposal, away, uses(stock, catalogs), in_use, progress)


def propose(
    stock: Stock,
    found: Duplicates | OtherSets,
    wishes: Wishes,
    proposal: Proposal,
    away: Container[int] = (),
    users: Users | None = None,
    in_use: InUse | None = None,
    progress: Progress = no_progress,
) -> Iterator[DocketRow]:
    """Yield docket rows for sets, the keepers of each first, and count them into `proposal`.

    Sidecars come last: a sidecar stays where the file that it belongs to stays.

    Parameters
    ----------
    away
        Numbers of places whose drives are not here.
    users, in_use
        The catalogues that use each file, and what the documents of projects use.
    """
    in_use = in_use or InUse()
    chooser = Chooser(stock, wishes, away, in_use.with_users(users or {}), in_use.there)
    chooser.learn(told(found.sets(), "Looking at folders", len(found), "sets", progress))
    going: set[bytes] = set()
    gone: Counter[bytes] = Counter()
    sidecars: set[bytes] = set()
    sets = told(found.sets(sidecars=False), "Choosing keepers", len(found), "sets", progress)
    for row in _rows(stock, chooser, found, sets, proposal, going):
        if row.action is Action.FOLD:
            gone[row.path.rpartition(b"/")[0]] += 1
            if row.kind == "sidecar":
                sidecars.add(row.path)
        yield row
    proposal.sidecars += len({beside for path in going for beside in chooser.companions.of(path)} - sidecars)
    proposal.emptied = _emptied(stock.listing.in_folders(), gone)


def _rows(
    stock: Stock,
    chooser: Chooser,
    found: Duplicates | OtherSets,
    sets: Iterable[CopySet],
    proposal: Proposal,
    going: set[bytes],
) -> Iterator[DocketRow]:
    for one in filter(chooser.is_asked_for, sets):
        for row in _rows_of(one, chooser, {}, proposal):
            if row.action is Action.FOLD and chooser.companions.wanted(row.path):
                going.add(row.path)
            yield row
    for one in filter(chooser.is_asked_for, found.sets(sidecars=True)):
        belongs = sidecars_that_stay(stock, one, going)
        if belongs is not None:
            yield from _rows_of(one, chooser, belongs, proposal)


def _rows_of(one: CopySet, chooser: Chooser, belongs: dict[bytes, str], proposal: Proposal) -> Iterable[DocketRow]:
    choice = chooser.choose(one, belongs)
    folded = [verdict.copy for verdict in choice.verdicts if verdict.action is Action.FOLD]
    proposal.count(choice, len(folded), one.size * len(freed_files(folded)))
    proposal.count_held(choice, folded)
    left = [each for each in choice.verdicts if each.action is Action.LEAVE]
    if left and any(each.action is Action.KEEP for each in choice.verdicts):
        if beside := [each.copy for each in left if each.copy.path in chooser.used]:
            proposal.both_stay += 1
            proposal.in_use += one.size * len(freed_files(beside))
        if beside := [each.copy for each in left if each.reason in WORKS and not chooser.why_held(each.copy)]:
            proposal.works += len(beside)
            proposal.works_bytes += one.size * len(freed_files(beside))
    return [
        DocketRow(one.id, each.action, copy.path, copy.size, copy.kind, copy.modified_ns, copy.digest, each.reason)
        for each in choice.verdicts
        for copy in [each.copy]
    ]


def _emptied(files: dict[bytes, int], gone: Counter[bytes]) -> int:
    """Return how many folders lose all that the stock knows in and below them."""
    left: Counter[bytes] = Counter()
    lost: Counter[bytes] = Counter()
    for folder, count in files.items():
        for above in (folder, *folders_above(folder)):
            left[above] += count - gone[folder]
            lost[above] += gone[folder]
    return sum(lost[folder] > 0 and not left[folder] for folder in files)
