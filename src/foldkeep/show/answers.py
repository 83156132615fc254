"""The answers of the commands as people read them."""

import shlex
import time
from collections import Counter
from collections.abc import Sequence

from foldkeep.find import Totals
from foldkeep.fold import FoldReport, Plan, ReleaseReport, UnfoldReport
from foldkeep.keep import Proposal
from foldkeep.model import (
    CopySet,
    Problem,
    Run,
    RunFile,
    RunFileState,
    RunSummary,
    format_size,
    visible,
)
from foldkeep.scan import ScanReport

from .page import CARE, COMMAND, GAIN, QUIET, STRONG, Column, Page

_MOST_ROWS = 8


def count(number: int, noun: str) -> str:
    """Return a number with its noun, in the plural where it is due."""
    return f"{number:,} {noun}" + ("" if number == 1 else "s")


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


def show_scan(page: Page, places: Sequence[str], report: ScanReport) -> None:
    """Write what a scan saw and read."""
    page.line(
        f"Scanned {', '.join(places)}: ",
        (count(report.files, "file"), STRONG),
        f", {format_size(report.bytes)}, in {_duration(report.seconds)}.",
    )
    if report.read_bytes:
        page.line(
            f"Read {format_size(report.read_bytes)} to compare contents: "
            f"{count(report.hashed_files, 'file')} whole, of others the first and last block."
        )
    else:
        page.line("No content had to be read.")


def _duration(seconds: float) -> str:
    if seconds < 0.1:
        return "less than 0.1 s"
    return f"{seconds:.1f} s" if seconds < 60 else f"{seconds // 60:.0f} min {seconds % 60:.0f} s"


def show_duplicates(page: Page, sets: Sequence[CopySet], kinds: dict[str, Totals], top: int | None) -> None:
    """Write an overview by kind and the first `top` sets with all their copies; every set when None."""
    if not sets:
        page.line("No two files in your places have the same content.")
        return
    page.table(
        [Column("kind"), Column("sets", True), Column("spares", True), Column("can come free", True, GAIN)],
        [
            (name, f"{t.sets:,}", f"{t.spares:,}", format_size(t.reclaimable))
            for name, t in [*kinds.items(), ("in all", Totals.of(kinds.values()))]
        ],
        total=True,
    )
    page.heading("Sets, largest saving first")
    for found in sets[:top]:
        show_set(page, found)
    if top is not None and len(sets) > top:
        page.line((f"… and {count(len(sets) - top, 'set')} more; --top {len(sets)} shows all", QUIET))


def show_set(page: Page, found: CopySet) -> None:
    """Write one set: what its copies have in common, then where each lies."""
    page.line(
        (f"{format_size(found.reclaimable):>8}", GAIN),
        (f"  {found.kind}, {len(found.copies)} × {format_size(found.size)}  ", STRONG),
        (found.id, QUIET),
    )
    names = Counter(copy.identity for copy in found.copies)
    for copy in found.copies:
        link = "  (hard link)" if names[copy.identity] > 1 else ""
        role = "" if copy.place.role == "working" else f"  ({copy.place.role})"
        page.line(visible(copy.path), (link + role, QUIET), indent=10)


def show_proposal(page: Page, proposal: Proposal, docket: str, wanted: str) -> None:
    """Write what a docket proposes and which rules decided."""
    if docket != wanted:
        page.line((f"{wanted} is taken, so the docket went beside it.", CARE))
    page.line(
        (count(proposal.spares, "spare"), STRONG),
        f" in {count(proposal.sets, 'set')} can be folded, ",
        (format_size(proposal.reclaimable), GAIN),
        " in all.",
    )
    if proposal.reasons:
        page.line("Keepers were chosen because:")
        ordered = sorted(proposal.reasons.items(), key=lambda item: -item[1])
        for reason, number in ordered:
            page.line(f"{number:>7,}  {reason}")
    if proposal.undecided:
        page.line((f"{count(proposal.undecided, 'set')} undecided: every copy is left as it is.", CARE))
    page.line(f"The docket is {docket}: look at it, change it, then run: foldkeep fold {shlex.quote(docket)}")


def show_plan(page: Page, plan: Plan) -> None:
    """Write what a docket will do, before anybody is asked."""
    page.table(
        [Column("place"), Column("files to fold", True), Column("size", True)],
        [
            (visible(place), f"{len(items):,}", format_size(sum(item.row.size for item in items)))
            for place, items in plan.by_place.items()
        ],
    )
    page.heading("For example" if len(plan.items) > _MOST_ROWS else "Namely")
    for item in plan.items[:_MOST_ROWS]:
        page.line(visible(item.row.path), indent=2)
        page.line((f"{item.row.reason}; stays: {visible(item.keepers[0])}", QUIET), indent=4)
    if len(plan.items) > _MOST_ROWS:
        page.line(
            (f"… and {count(len(plan.items) - _MOST_ROWS, 'file')} more, all in {plan.docket}", QUIET),
            indent=2,
        )
    page.line()


def show_folded(page: Page, report: FoldReport) -> None:
    """Write what became of a docket."""
    if report.run is None:
        page.line("The docket proposes to fold nothing.")
        return
    page.line(
        "Run ",
        (str(report.run), STRONG),
        f": {count(report.folded, 'file')} ({format_size(report.bytes)}) now "
        f"{'waits' if report.folded == 1 else 'wait'} in the fold.",
    )
    show_left(page, report.left, "left where they are" if len(report.left) > 1 else "left where it is")
    if report.folded:
        page.line("The space is not free yet. Take a while to be sure; then:")
        page.line(f"foldkeep unfold {report.run}    brings everything back", indent=2)
        page.line(f"foldkeep release {report.run}   deletes it for good and frees the space", indent=2)


def show_unfolded(page: Page, report: UnfoldReport) -> None:
    """Write what came back."""
    if not report.restored and not report.left:
        page.line(f"Nothing of run {report.run} waits in the fold.")
        return
    back = "is back where it was" if report.restored == 1 else "are back where they were"
    page.line(f"Run {report.run}: {count(report.restored, 'file')} {back}.")
    for was, now in report.renamed:
        page.line((f"{visible(was)} was taken: now beside it as ", CARE), visible(now), indent=2)
    show_left(page, report.left, "still in the fold")


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
    show_left(page, report.left, "still in the fold")


def show_ledger(page: Page, summaries: Sequence[RunSummary]) -> None:
    """Write every run, with what became of its files."""
    if not summaries:
        page.line("Nothing has been folded yet.")
        return
    states = (RunFileState.WAITING, RunFileState.RESTORED, RunFileState.RELEASED, RunFileState.LEFT)
    page.table(
        [
            Column("run", True),
            Column("date"),
            Column("method"),
            Column("in the fold", True),
            Column("size", True),
            *(Column(str(state), True) for state in states[1:]),
            Column("docket"),
        ],
        [
            (
                str(summary.run.id),
                _moment(summary.run),
                summary.run.method,
                f"{summary.files.get(RunFileState.WAITING, 0):,}",
                format_size(summary.bytes.get(RunFileState.WAITING, 0)),
                *(f"{summary.files.get(state, 0):,}" for state in states[1:]),
                visible(summary.run.docket),
            )
            for summary in summaries
        ],
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
            if file.keeper:
                page.line(("keeper: " + visible(file.keeper), QUIET), indent=4)


def _moment(run: Run) -> str:
    return time.strftime("%Y-%m-%d %H:%M", time.localtime(run.started_ns // 1_000_000_000))


def show_step(page: Page, words: str, line: str) -> None:
    """Write a step of the guided example: what it is for, and what a user would type."""
    if words:
        page.line()
        page.line((words, STRONG))
    page.line(("$ ", QUIET), (line, COMMAND))


def show_tour(page: Page, folder: str, files: int, unchanged: bool) -> None:
    """Write how the guided example ended."""
    page.line()
    if unchanged:
        page.line(
            f"All {files:,} files are what they were before: name, content, mode and time, each one compared."
        )
    else:
        page.line(("Something is not as it was before. That is a fault in Fold Keep: please tell us.", CARE))
    page.line(f"The library stays in {visible(folder)}: go on there, or delete the folder.")
