"""The answers of the commands that propose and change, as people read them."""

import shlex
from collections.abc import Sequence

from foldkeep.fold import Audit, FoldReport, Merged, Plan, ReleaseReport, Space, UnfoldReport
from foldkeep.formats.sidecars import Xmp, said
from foldkeep.keep import Proposal, Wishes
from foldkeep.model import Method, Problem, Run, RunFile, RunFileState, RunSummary, visible
from foldkeep.model.units import format_size

from .page import CARE, GAIN, QUIET, STRONG, Column, Page
from .words import count, local_time

_MOST_ROWS = 6
_SMALL_CHANGE = 1_000_000  # bytes: a journal, or what other programs wrote meanwhile


def show_problems(page: Page, problems: Sequence[Problem]) -> None:
    """Write a line for each problem."""
    _listed(page, problems, count(len(problems), "problem"))


def show_left(page: Page, left: Sequence[Problem], what: str) -> None:
    """Write the files that a command left alone, and why."""
    if left:
        _listed(page, left, f"{count(len(left), 'file')} {what}")


def _listed(page: Page, problems: Sequence[Problem], title: str) -> None:
    page.line((f"{title}:", CARE))
    for problem in problems:
        page.line(f"{visible(problem.path)}: {problem.reason}", indent=2)


def show_rules(page: Page, rules: Sequence[tuple[str, str]], wishes: Wishes) -> None:
    """Write the rules in force, and what else is asked of a choice."""
    page.line("Rules narrow the copies of a set down, one after another, until one is left:")
    page.table(
        [Column("", True), Column("rule", style=STRONG, whole=True), Column("prefers")],
        [(str(number), visible(word), meaning) for number, (word, meaning) in enumerate(rules, start=1)],
    )
    page.line()
    for text in wishes.protect:
        page.line("Never goes: ", (visible(text), STRONG))
    for folder in wishes.give_up_under:
        page.line("Goes first, where a copy lies elsewhere: ", (visible(folder), STRONG))
    if wishes.at_least > 1:
        page.line(f"{wishes.at_least} copies stay, on different volumes where there are any.")
    if wishes.per:
        page.line(f"One copy stays per {wishes.per}.")
    page.line("A sidecar stays where the file stays that it belongs to.")


def show_proposal(page: Page, proposal: Proposal, docket: str, wanted: str) -> None:
    """Write what a docket proposes and which rules decided."""
    if docket != wanted:
        page.line((f"{wanted} is taken, so the docket went beside it.", CARE))
    if not proposal.sets:
        page.line("No copies were found, so the docket is empty.")
        return
    page.line(
        (count(proposal.spares, "spare"), STRONG),
        f" in {count(proposal.sets, 'set')} can be folded, ",
        (format_size(proposal.reclaimable), GAIN),
        " in all.",
    )
    if proposal.emptied:
        empties = "empties" if proposal.emptied == 1 else "empty"
        page.line(f"{count(proposal.emptied, 'folder')} {empties} completely.")
    if proposal.reasons:
        page.line("Keepers were chosen because:")
        for reason, number in sorted(proposal.reasons.items(), key=lambda item: (-item[1], item[0])):
            page.line(f"{number:>7,}  {reason}")
    if proposal.all_stay:
        page.line(f"{count(proposal.all_stay, 'set')} with nothing that may go: every copy has a reason to stay.")
    if proposal.undecided:
        page.line((f"{count(proposal.undecided, 'set')} undecided: every copy is left as it is.", CARE))
    name = shlex.quote(docket)
    page.line(f"The docket is {docket}. Look at it in a spreadsheet, or set by set: foldkeep review {name}")
    page.line(f"Then carry it out: foldkeep fold {name}")


_TO_DO = {
    Method.FOLD: "to fold",
    Method.MOVE: "to move",
    Method.BIN: "for the bin",
    Method.HARD_LINK: "to become links",
    Method.SYMLINK: "to become links",
    Method.CLONE: "to become clones",
    Method.DELETE: "to delete",
}
_CARE_FOR = {
    Method.BIN: "What is in the bin only the desktop brings back; foldkeep unfold cannot.",
    Method.HARD_LINK: "A hard link is the keeper itself under another name: what is written to one is written to both,"
    " and the spare's own times and mode wait with it in the fold.",
    Method.SYMLINK: "A symbolic link leads nowhere once its keeper is moved or renamed.",
    Method.DELETE: "This cannot be taken back.",
}


def show_plan(page: Page, plan: Plan) -> None:
    """Write what a docket will do, before anybody is asked."""
    page.table(
        [Column("place"), Column(f"files {_TO_DO[plan.method]}", True), Column("size", True)],
        [
            (visible(place), f"{len(going):,}", format_size(sum(item.row.size for item in going)))
            for place, items in plan.by_place.items()
            if (going := [item for item in items if not item.merge])
        ],
    )
    spares = plan.spares
    page.heading("For example" if len(spares) > _MOST_ROWS else "Namely")
    for item in spares[:_MOST_ROWS]:
        page.line(visible(item.row.path), indent=2)
        stays = f"stays: {visible(item.keepers[0])}" if item.keepers else "no copy of it stays"
        stays = f"made again from: {visible(item.source)}" if item.source else stays
        page.line((f"{visible(item.row.reason)}; {stays}", QUIET), indent=4)
    if len(spares) > _MOST_ROWS:
        page.line((f"… and {count(len(spares) - _MOST_ROWS, 'file')} more, all in {plan.docket}", QUIET), indent=2)
    along = [item for item in plan.going if item.master and item.method is plan.method]
    beside = [item for item in plan.going if item.method is not plan.method]
    if along:
        page.line(f"{count(len(along), 'companion')} of them {'goes' if len(along) == 1 else 'go'} along.")
    if beside:
        page.line((f"{count(len(beside), 'sidecar')} that the keeper has none like will be moved beside it:", CARE))
        for item in beside[:_MOST_ROWS]:
            page.line(f"{visible(item.row.path)} → {visible(item.target)}", indent=2)
    _show_merged(page, plan.merged, "will get", "goes into the fold", _MOST_ROWS)
    if plan.method in _CARE_FOR:
        page.line((_CARE_FOR[plan.method], CARE))
    page.line()


def _show_merged(page: Page, merged: Sequence[Merged], verb: str, waits: str, most: int) -> None:
    """Write what sidecars of keepers say as well, and what copies say differently."""
    written = [each for each in merged if each.gained.facts]
    if written:
        beside = "1 sidecar beside a keeper" if len(written) == 1 else f"{len(written):,} sidecars beside keepers"
        page.line((f"{beside} {verb} what was said of spares only; what was there before {waits}:", CARE))
    for each in written[:most]:
        page.line(visible(each.path), indent=2)
        page.line((_gained(each.gained), QUIET), indent=4)
    if len(written) > most:
        page.line((f"… and {count(len(written) - most, 'sidecar')} more", QUIET), indent=2)
    differing = [(each, difference) for each in merged for difference in each.differences]
    if differing:
        page.line((f"{count(len(differing), 'difference')} between what is said of copies; the keeper's stays:", CARE))
    for each, difference in differing[:most]:
        page.line(visible(each.keeper), indent=2)
        what, kept, other = difference.what, visible(difference.kept), visible(difference.other)
        page.line((f"{what} {kept}, and not {other} as of {visible(difference.path)}", QUIET), indent=4)
    if len(differing) > most:
        page.line((f"… and {count(len(differing) - most, 'difference')} more", QUIET), indent=2)


def _gained(words: Xmp) -> str:
    parts = [f"{count(len(words.keywords), 'keyword')}: {', '.join(words.keywords)}"] if words.keywords else []
    parts += [
        f"{what}: {said(fact)}"
        for what, fact in (("rating", words.rating), ("title", words.title), ("description", words.description))
        if fact
    ]
    return visible("; ".join(parts))


_DONE = {
    Method.FOLD: "in the fold",
    Method.BIN: "in the desktop's bin",
    Method.HARD_LINK: "in the fold, with hard links to their keepers in their place",
    Method.SYMLINK: "in the fold, with symbolic links to their keepers in their place",
    Method.CLONE: "in the fold, with clones of their keepers in their place",
}


def show_folded(page: Page, report: FoldReport) -> None:
    """Write what became of a docket."""
    if report.run is None:
        page.line("The docket proposes to fold nothing.")
        return
    files = f"{count(report.folded, 'file')} ({format_size(report.bytes)})"
    if report.method is Method.DELETE:
        done = "deleted for good."
    elif report.method is Method.MOVE:
        done = "moved."
    else:
        done = f"now {'waits' if report.folded == 1 else 'wait'} {_DONE[report.method]}."
    page.line("Run ", (str(report.run), STRONG), f": {files} {done}")
    if report.along:
        page.line(f"{count(report.along, 'file')} of them went along with a spare.")
    for was, now in report.beside:
        page.line(f"{visible(was)} is now beside the keeper as {visible(now)}", indent=2)
    _show_merged(page, report.merged, "got", "waits in the fold", len(report.merged) + 1)
    if report.emptied:
        page.line(f"{count(report.emptied, 'folder')} became empty and went as well.")
    for note in report.notes:
        page.line((f"{visible(note.path)}: {note.reason}", CARE), indent=2)
    show_left(page, report.left, "left where they are" if len(report.left) > 1 else "left where it is")
    waits = report.folded and report.method not in (Method.BIN, Method.DELETE, Method.MOVE)
    if waits:
        page.line("Free space is unchanged until you release them. Take a month to be sure; then:")
    _show_space(page, report.space, quiet=report.method is not Method.DELETE)
    if report.folded and report.method.comes_back:
        page.line(f"foldkeep unfold {report.run}    brings everything back", indent=2)
    if waits:
        page.line(f"foldkeep release {report.run}   deletes it for good and frees the space", indent=2)


def _show_space(page: Page, spaces: Sequence[Space], *, quiet: bool = False) -> None:
    """Write how much is free on each volume, and the difference; where none is expected, only if there is one."""
    for space in spaces:
        more = space.after - space.before
        if quiet and abs(more) < _SMALL_CHANGE:
            continue
        change = f"{format_size(abs(more))} {'more' if more > 0 else 'less'} than" if more else "as much as"
        page.line(f"On the volume of {visible(space.place)}, {format_size(space.after)} are free: {change} before.")


def show_unfolded(page: Page, report: UnfoldReport) -> None:
    """Write what came back."""
    of_run = "" if report.run is None else f" of run {report.run}"
    if not report.restored and not report.left:
        page.line(f"Nothing{of_run} waits in the fold.")
        return
    back = "is back where it was" if report.restored == 1 else "are back where they were"
    page.line(f"{count(report.restored, 'file')}{of_run} {back}.")
    for was, now in report.renamed:
        page.line((f"{visible(was)} was taken: now beside it as ", CARE), visible(now), indent=2)
    for note in report.notes:
        page.line((f"{visible(note.path)} {note.reason}", CARE), indent=2)
    show_left(page, report.left, "not back where they were" if len(report.left) > 1 else "not back where it was")


def show_release_question(page: Page, summaries: Sequence[RunSummary]) -> None:
    """Write what a release will delete, before anybody is asked."""
    page.table(
        [Column("run", True), Column("folded"), Column("files", True), Column("size", True)],
        [
            (
                str(summary.run.id),
                _moment(summary.run),
                f"{summary.files.get(RunFileState.WAITING, 0):,}",
                format_size(summary.bytes.get(RunFileState.WAITING, 0)),
            )
            for summary in summaries
        ],
    )
    page.line()


def show_released(page: Page, report: ReleaseReport) -> None:
    """Write what was deleted."""
    page.line(
        f"{count(report.released, 'file')} deleted for good; ",
        (format_size(report.bytes), GAIN),
        " came free.",
    )
    _show_space(page, report.space)
    show_left(page, report.left, "still in the fold")


def show_ledger(page: Page, summaries: Sequence[RunSummary]) -> None:
    """Write every run, with what became of its files."""
    if not summaries:
        page.line("Nothing has been folded yet.")
        return
    page.table(
        [
            Column("run", True),
            Column("date", whole=True),
            Column("method", whole=True),
            Column("files", True),
            Column("size", True),
            Column("state"),
            Column("docket"),
        ],
        [
            (
                str(summary.run.id),
                _moment(summary.run),
                summary.run.method,
                f"{sum(summary.files.values()):,}",
                format_size(sum(summary.bytes.values())),
                _state(summary),
                visible(summary.run.docket),
            )
            for summary in summaries
        ],
    )
    for summary in summaries:
        if not summary.run.method.comes_back:
            where = "is gone for good" if summary.run.method is Method.DELETE else "only the desktop brings back"
            page.line((f"Run {summary.run.id} cannot be unfolded: what it took {where}.", QUIET))


def _state(summary: RunSummary) -> str:
    """Return where the files of a run are: a word, or several with counts."""
    counts = [(state, number) for state, number in summary.files.items() if number]
    if len(counts) == 1:
        return str(counts[0][0])
    order = list(RunFileState)
    return ", ".join(f"{number:,} {state}" for state, number in sorted(counts, key=lambda each: order.index(each[0])))


def show_audit(page: Page, found: Audit) -> None:
    """Write what reading again showed."""
    page.line(
        (count(found.verified, "file"), STRONG),
        f" ({format_size(found.bytes)}) {'is' if found.verified == 1 else 'are'} what "
        f"{'it was' if found.verified == 1 else 'they were'} when folded.",
    )


def show_run(page: Page, run: Run, files: Sequence[RunFile]) -> None:
    """Write one run in detail: every file, what became of it, and its keeper."""
    page.line("Run ", (str(run.id), STRONG), f", {_moment(run)}, from {visible(run.docket)}")
    for state in RunFileState:
        chosen = [file for file in files if file.state is state]
        if chosen:
            page.heading(f"{state}: {count(len(chosen), 'file')}, {format_size(sum(f.size for f in chosen))}")
        for file in chosen:
            page.line(visible(file.path), (f"  {file.reason}" if file.reason else "", CARE), indent=2)
            if file.method is Method.REWRITE:
                page.line(("one that says more took its place", QUIET), indent=4)
            elif file.keeper:
                page.line(("keeper: " + visible(file.keeper), QUIET), indent=4)
            if file.target:
                page.line(("moved to: " + visible(file.target), QUIET), indent=4)


def _moment(run: Run) -> str:
    return local_time(run.started_ns)
