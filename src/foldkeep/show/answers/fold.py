"""What a docket will do, and what became of it."""

from collections.abc import Iterable, Sequence
from typing import NamedTuple

from foldkeep.fold import FoldReport, Item, Merged, Plan
from foldkeep.formats.sidecars import Difference, Xmp, said
from foldkeep.keep.dockets import AlikeKeeper, FolderSums, Going
from foldkeep.model import Method, Problem, visible
from foldkeep.model.units import format_size

from ..page.documents import Document, path_document, problem_documents, space_document
from ..page.going import write_going
from ..page.lines import write_first, write_left, write_notes, write_space
from ..page.page import CARE, QUIET, STRONG, Page
from ..page.tables import Column
from ..page.words import agree, count, figures

_MOST_ROWS = 6
_TO_DO = {
    Method.FOLD: "to fold",
    Method.MOVE: "to move",
    Method.BIN: "for the bin",
    Method.HARD_LINK: "to become links",
    Method.SYMLINK: "to become links",
    Method.CLONE: "to become clones",
    Method.DELETE: "to delete",
    Method.COPY: "to copy",
    Method.HEAL: "to heal",
}
_CARE_FOR = {
    Method.BIN: "Only the desktop restores files from its bin; foldkeep unfold cannot.",
    Method.HARD_LINK: "A hard link is the keeper itself under another name: what is written to one is written to both,"
    " and the spare's own times and mode wait with it in the fold.",
    Method.SYMLINK: "A symbolic link leads nowhere once its keeper is moved or renamed.",
    Method.DELETE: "This cannot be taken back.",
}
_HEALED = ("a good copy in its", "good copies in their")
_DONE = {
    Method.FOLD: "in the fold",
    Method.BIN: "in the desktop's bin",
    Method.HARD_LINK: "in the fold, with hard links to their keepers in their place",
    Method.SYMLINK: "in the fold, with symbolic links to their keepers in their place",
    Method.CLONE: "in the fold, with clones of their keepers in their place",
}


class FoldAnswer(NamedTuple):
    """Answer of `fold`.

    Attributes
    ----------
    lesson
        What there is to learn from how the docket was changed.
    sets
        In how many sets the spares are.
    waiting
        How many files of the run wait in the fold, and their bytes.
    """

    report: FoldReport
    lesson: str = ""
    sets: int = 0
    waiting: tuple[int, int] = (0, 0)

    def document(self) -> Document:
        """Return the JSON document."""
        report = self.report
        return {
            "command": "fold",
            "run": report.run,
            "method": str(report.method),
            "folded": report.folded,
            "bytes": report.bytes,
            "along": report.along,
            "alike": [_alike_document(item, alike) for item, alike in _alike(report.alike)],
            "essences": [
                {**path_document(item.row.path), "keeper": path_document(item.source), "rest": item.essence.rest}
                for item in report.essences
                if item.essence
            ],
            "merged": list(map(_merged_document, report.merged)),
            "beside": [{"from": path_document(was), "to": path_document(now)} for was, now in report.beside],
            "emptied_folders": report.emptied,
            "space": list(map(space_document, report.space)),
            "left": problem_documents(report.left),
            "notes": problem_documents(report.notes),
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        report = self.report
        if report.run is None:
            page.line(f"The docket proposes to {report.method.action} nothing.")
            return
        files = f"{count(report.folded, 'file')} ({format_size(report.bytes)})"
        if report.method is Method.DELETE:
            done = "deleted for good."
        elif report.method is Method.MOVE:
            done = "moved."
        elif report.method is Method.COPY:
            done = "copied and read back."
        else:
            where = _DONE.get(report.method) or f"in the fold, with {agree(report.folded, *_HEALED)} place"
            done = f"now {agree(report.folded, 'waits', 'wait')} {where}."
        number, size = self.waiting
        if report.method is Method.FOLD and number:
            spares = report.folded - report.along
            files = f"{figures(spares, self.sets, number - spares, size)};"
            done = f"{'it waits' if number == 1 else 'all wait'} in the fold."
        elif report.along:
            done += f" {count(report.along, 'file')} of them went along with a spare."
        page.line("Run ", (str(report.run), STRONG), f": {files} {done}")
        _write_alike(page, _alike(report.alike))
        _write_essences(page, report.essences)
        write_first(page, report.beside, lambda each: page.line(_moved(page, *each), indent=2), "sidecar")
        _write_merged(page, report.merged, "was", "wait in the fold")
        if report.emptied:
            page.line(
                f"{count(report.emptied, 'folder')} became empty and {agree(report.emptied, 'was', 'were')} put away."
            )
        write_notes(page, report.notes)
        left = "left where they are" if len(report.left) > 1 else "left where it is"
        write_left(page, report.left, "not copied" if report.method is Method.COPY else left)
        waits = report.folded and report.method not in (Method.BIN, Method.DELETE, Method.MOVE, Method.COPY)
        if waits:
            page.line("No space is freed yet. Take a month to be sure; then delete them for good:")
        else:
            write_space(page, report.space, quiet=report.method is not Method.DELETE)
        lines = []
        if waits:
            more = " --allow-alike" if report.alike else ""
            lines.append(
                (page.command(f"foldkeep release {report.run}{more}"), "deletes them for good, which frees the space")
            )
        if report.folded and report.method.comes_back:
            undone = "takes unchanged copies away again" if report.method is Method.COPY else "brings everything back"
            lines.append((page.command(f"foldkeep unfold {report.run}"), undone))
        longest = max((len(line) for (line, _), _ in lines), default=0)
        for command, meaning in lines:
            page.line(command, " " * (longest - len(command[0])), f"   {meaning}", indent=2)
        if self.lesson:
            page.line(self.lesson)


def goes_away(item: Item, method: Method) -> bool:
    """Tell whether a file of a plan goes away by its method, as the ledger counts it afterwards.

    The earlier version of a sidecar does; what moves beside its keeper does not.
    """
    if item.refusal or item.method is Method.WRITE:
        return False
    if method is not Method.FOLD:
        return not item.merge
    return item.is_named or item.method is not Method.MOVE


def plan_words(plan: Plan) -> str:
    """Return how much a plan takes away, as the answer of the fold says it afterwards."""
    going = [item for item in plan.items if goes_away(item, plan.method)]
    spares = [item for item in going if item.is_named]
    sets = len({item.row.set for item in spares})
    return figures(len(spares), sets, len(going) - len(spares), sum(item.row.size for item in going))


def write_plan(page: Page, plan: Plan, most: int | None) -> None:
    """Write what a docket will do, before anybody is asked; of many files only from which folders, `most` of them."""
    page.table(
        [Column("place", path=True), Column(f"files {_TO_DO[plan.method]}", True), Column("size", True)],
        [
            (visible(place), f"{len(going):,}", format_size(sum(item.row.size for item in going)))
            for place, items in plan.by_place.items()
            if (going := [item for item in items if goes_away(item, plan.method)])
        ],
    )
    spares = [item for item in plan.spares if not item.refusal]
    refused = [item for item in plan.spares if item.refusal]
    copies = [item for item in spares if item.alike is None]
    if len(copies) > _MOST_ROWS:
        write_going(page, FolderSums(map(_going, copies)).sums(), most)
        page.line((f"Each file is in {plan.docket}.", QUIET), indent=2)
        copies = []
    elif copies:
        page.heading("Namely")
    with page.below(path for item in copies for path in (item.row.path, *item.keepers[:1])):
        for item in copies:
            _write_item(page, item, plan.method)
    _write_alike(page, _alike(spares))
    _write_essences(page, [item for item in spares if item.essence])
    will = f"will be left where {agree(len(refused), 'it is', 'they are')}"
    write_left(page, [Problem(item.row.path, item.refusal) for item in refused], will)
    along = [item for item in plan.going if item.master and item.method is plan.method]
    beside = [item for item in plan.going if item.method is not plan.method]
    if along:
        page.line(f"{count(len(along), 'companion')} of them {'goes' if len(along) == 1 else 'go'} along.")
    if beside:
        keeper = "its keeper" if len(beside) == 1 else "their keepers"
        page.line((f"{count(len(beside), 'sidecar')} will move beside {keeper}:", CARE))
        write_first(page, beside, lambda item: page.line(_moved(page, item.row.path, item.target), indent=2), "sidecar")
    _write_merged(page, plan.merged, "will be", "go into the fold")
    if plan.method in _CARE_FOR:
        page.line((_CARE_FOR[plan.method], CARE))
    page.line()


def _moved(page: Page, was: bytes, now: bytes) -> str:
    return f"{page.path(was)} → {page.path(now)}"


def _write_item(page: Page, item: Item, method: Method) -> None:
    """Write a file that goes, why, and the file that stays for it."""
    page.line(page.path(item.row.path), indent=2)
    stays = f"stays: {page.path(item.keepers[0])}" if item.keepers else "no copy of it stays"
    if item.proof:
        stays = f"stays, and is vouched for: {page.path(item.proof.path)}"
    if method is Method.COPY:
        stays = f"to {page.path(item.target)}"
    elif method is Method.HEAL:
        stays = f"good: {page.path(item.good[0])}"
    if item.source:
        words = "stays, with other words in it" if item.essence else "made again from"
        stays = f"{words}: {page.path(item.source)}"
    page.line((f"{visible(item.row.reason)}; {stays}", QUIET), indent=4)


def _going(item: Item) -> Going:
    stays = item.keepers[0] if item.keepers else item.source or (item.proof.path if item.proof else b"")
    return Going(item.row.path, item.row.size, item.row.reason, item.good[0] if item.good else item.target or stays)


def _alike(items: Iterable[Item]) -> list[tuple[Item, AlikeKeeper]]:
    return [(item, item.alike) for item in items if item.alike is not None]


def _write_alike(page: Page, found: Sequence[tuple[Item, AlikeKeeper]]) -> None:
    """Write what goes though no copy of it stays, with what only that has."""
    if found:
        have = agree(len(found), "has", "have")
        page.line((f"{count(len(found), 'file')} {have} no copy that stays, only something alike:", CARE))
        write_first(page, found, lambda each: _write_alike_item(page, *each), "file")


def _write_alike_item(page: Page, item: Item, alike: AlikeKeeper) -> None:
    page.line(visible(item.row.path), indent=2)
    how = f"{alike.like:.0%} alike ({alike.strength}) what stays"
    if alike.decoded:
        how = f"decodes to the same, {alike.decoded}, as what stays"
    page.line((f"{how}: {visible(item.source)}", QUIET), indent=4)
    if alike.only:
        page.line((f"only it has: {visible('; '.join(alike.only))}", CARE), indent=4)


def _write_essences(page: Page, items: Sequence[Item]) -> None:
    """Write how many files have other words than what stays, and what becomes of those."""
    if items:
        show = agree(len(items), "shows or sounds", "show or sound")
        page.line(
            f"{count(len(items), 'file')} {show} the same as what stays, but other words are written in"
            f" {agree(len(items), 'it', 'them')}: those are kept even after a release."
        )


def _alike_document(item: Item, alike: AlikeKeeper) -> Document:
    return {
        **path_document(item.row.path),
        "keeper": path_document(item.source),
        "like": round(alike.like, 3),
        "strength": alike.strength,
        "decoded": alike.decoded or None,
        "only": list(alike.only),
    }


def _write_merged(page: Page, merged: Sequence[Merged], verb: str, waits: str) -> None:
    """Write what sidecars of keepers say as well, and what copies say differently."""
    written = [each for each in merged if each.gained.facts]
    if written:
        where = "this sidecar" if len(written) == 1 else f"these {len(written):,} sidecars"
        words = f"Metadata found only on spares {verb} added to {where}; earlier versions {waits}:"
        page.line((words, CARE))
    write_first(page, written, lambda each: _write_gained(page, each), "sidecar")
    differing = [(each, difference) for each in merged for difference in each.differences]
    if differing:
        page.line(
            (f"{count(len(differing), 'difference')} in metadata between copies; the keeper's value stays:", CARE)
        )
    write_first(page, differing, lambda each: _write_difference(page, *each), "difference")


def _write_gained(page: Page, merged: Merged) -> None:
    page.line(visible(merged.path), indent=2)
    page.line((_gained(merged.gained), QUIET), indent=4)


def _write_difference(page: Page, merged: Merged, difference: Difference) -> None:
    page.line(visible(merged.keeper), indent=2)
    what, kept, other = difference.what, visible(difference.kept), visible(difference.other)
    page.line((f"{what} {kept}, not {other} as in {visible(difference.path)}", QUIET), indent=4)


def _gained(words: Xmp) -> str:
    parts = [f"{count(len(words.keywords), 'keyword')}: {', '.join(words.keywords)}"] if words.keywords else []
    parts += [
        f"{what}: {said(fact)}"
        for what, fact in (("rating", words.rating), ("title", words.title), ("description", words.description))
        if fact
    ]
    return visible("; ".join(parts))


def _merged_document(merged: Merged) -> Document:
    gained = merged.gained
    return {
        **path_document(merged.path),
        "keeper": path_document(merged.keeper),
        "keywords": list(gained.keywords),
        "rating": gained.rating,
        "title": gained.title,
        "description": gained.description,
        "differences": [
            {"what": each.what, "kept": each.kept, "other": each.other, "of": path_document(each.path)}
            for each in merged.differences
        ],
    }
