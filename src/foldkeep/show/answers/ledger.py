"""Runs and what became of their files."""

import os
from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple

from foldkeep.keep.register import DocketState, ToldDocket
from foldkeep.model import Method, Run, RunFile, RunFileState, RunSummary, visible
from foldkeep.model.grades import Grade
from foldkeep.model.machines import is_elsewhere
from foldkeep.model.units import format_moment, format_size

from ..page.documents import Document, path_document, problem_documents
from ..page.lines import write_rest
from ..page.page import CARE, QUIET, STRONG, Page
from ..page.tables import Column
from ..page.words import count, joined, local_time
from .dockets import docket_document, docket_words

if TYPE_CHECKING:
    from foldkeep.fold import Audit

_KEEPERS = {"content": "keeper", "source": "made again from", "likeness": "only alike its keeper",
            "copy": "a copy of", "good": "good copy", "decoded": "decoded, the same as",
            "essence": "the same under other words", "voucher": "keeper, vouched for by its machine"}  # fmt: skip


class LedgerAnswer(NamedTuple):
    """Answer of `ledger`: every run, with what became of its files, and the dockets that were made."""

    summaries: Sequence[RunSummary]
    dockets: Sequence[ToldDocket] = ()
    holder: str = ""

    def document(self) -> Document:
        """Return the JSON document."""
        dockets = [docket_document(each) for each in self.dockets]
        return {"command": "ledger", "runs": list(map(_run_document, self.summaries)), "dockets": dockets}

    def write(self, page: Page) -> None:
        """Write it for people."""
        self._write_runs(page)
        waiting = [each for each in self.dockets if each.state in (DocketState.OPEN, DocketState.BEGUN)]
        if waiting:
            page.heading("Dockets that wait")
        for each in waiting:
            page.line(docket_words(each), indent=2)

    def _write_runs(self, page: Page) -> None:
        if not self.summaries:
            page.line("Nothing has been folded yet.")
            return
        names = {os.fsencode(each.made.path): each.made.shown for each in self.dockets}
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
                    local_time(summary.run.started_ns),
                    summary.run.method,
                    f"{sum(summary.files.values()):,}",
                    format_size(sum(summary.bytes.values())),
                    _state(summary),
                    names.get(summary.run.docket) or visible(summary.run.docket),
                )
                for summary in self.summaries
            ],
        )
        for summary in self.summaries:
            if summary.run.underway:
                page.line((f"! {unsettled_words(summary, self.holder)}", CARE))
            if not summary.run.method.comes_back:
                is_gone = summary.run.method is not Method.BIN
                where = "is gone for good" if is_gone else "only the desktop brings back"
                page.line((f"Run {summary.run.id} cannot be unfolded: what it took {where}.", QUIET))


class RunAnswer(NamedTuple):
    """Answer of `ledger RUN`: every file, what became of it, and its keeper."""

    run: Run
    files: Sequence[RunFile]
    top: int | None = None

    def document(self) -> Document:
        """Return the JSON document."""
        summary = RunSummary.of(self.run, self.files)
        details = list(map(_run_file_document, self.files))
        return {"command": "ledger", "runs": [{**_run_document(summary), "details": details}]}

    def write(self, page: Page) -> None:
        """Write it for people."""
        page.line(
            "Run ", (str(self.run.id), STRONG), f", {local_time(self.run.started_ns)}, from {visible(self.run.docket)}"
        )
        for state in RunFileState:
            chosen = [file for file in self.files if file.state is state]
            if chosen:
                page.heading(f"{state}: {count(len(chosen), 'file')}, {format_size(sum(f.size for f in chosen))}")
            shown = chosen[: self.top]
            with page.below(path for file in shown for path in (file.path, file.keeper) if path):
                for file in shown:
                    _write_file(page, file)
            write_rest(page, len(chosen), self.top, "file", indent=2)


def _write_file(page: Page, file: RunFile) -> None:
    """Write a file of a run, what stays for it, and where it was brought."""
    page.line(page.path(file.path), (f"  {file.reason}" if file.reason else "", CARE), indent=2)
    if file.method is Method.REWRITE:
        page.line(("one that says more took its place", QUIET), indent=4)
    elif file.keeper:
        page.line((f"{_KEEPERS[_proof(file)]}: {page.path(file.keeper)}", QUIET), indent=4)
    if file.target:
        verb = {Method.COPY: "copied to", Method.EMPTY: "was once"}.get(file.method, "moved to")
        page.line((f"{verb}: {visible(file.target)}", QUIET), indent=4)


class AuditAnswer(NamedTuple):
    """Answer of `ledger --verify`."""

    found: "Audit"
    summaries: Sequence[RunSummary]

    def document(self) -> Document:
        """Return the JSON document."""
        return {
            "command": "ledger",
            "runs": list(map(_run_document, self.summaries)),
            "verified": self.found.verified,
            "bytes": self.found.bytes,
            "back": self.found.back,
            "problems": problem_documents(self.found.problems),
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        found = self.found
        page.line(
            (count(found.verified, "file"), STRONG),
            f" ({format_size(found.bytes)}) {'is' if found.verified == 1 else 'are'} what "
            f"{'it was' if found.verified == 1 else 'they were'} when folded.",
        )
        if found.back:
            words = "is back where it was" if found.back == 1 else "are back where they were"
            page.line(f"{count(found.back, 'file')} {words}: another stock, or another program, brought that about.")


def _proof(file: RunFile) -> str:
    """Return what was proved of a file and its keeper when it was folded."""
    if file.method.adds:
        return "copy" if file.method is Method.COPY else "good"
    if file.has_essence:
        return "essence"
    if file.is_alike and file.source:
        return "decoded" if file.source.grade is Grade.DECODED else "likeness"
    if is_elsewhere(file.keeper):
        return "voucher"
    return "source" if file.is_regenerable else "content"


def unsettled_words(summary: RunSummary, holder: str) -> str:
    """Return what is told of a run that is under way, or was broken off; `holder` is who is at work now."""
    run = summary.run
    if holder:
        return f"run {run.id} is under way: {holder}"
    if summary.away:
        unknown = count(summary.files.get(RunFileState.PLANNED, 0), "file")
        places = joined(list(map(visible, summary.away)))
        return f"run {run.id} was interrupted; connect the drive of {places} to learn what became of {unknown}"
    undo = f"foldkeep unfold {run.id} brings them back" if run.method.comes_back else "they do not come back"
    went = f"{summary.went:,} of {sum(summary.files.values()):,} files went"
    return f"run {run.id} was interrupted: {went}; {undo}; the same command again goes on"


def _state(summary: RunSummary) -> str:
    """Return where the files of a run are: a word, or several with counts."""
    counts = [(state, number) for state, number in summary.files.items() if number]
    if len(counts) == 1:
        return str(counts[0][0])
    order = list(RunFileState)
    return ", ".join(f"{number:,} {state}" for state, number in sorted(counts, key=lambda each: order.index(each[0])))


def _run_document(summary: RunSummary) -> Document:
    """Return a run of the ledger with its files counted by state."""
    run = summary.run
    return {
        "run": run.id,
        "started": format_moment(run.started_ns),
        "method": run.method,
        "docket": visible(run.docket),
        "underway": run.underway,
        "comes_back": run.method.comes_back,
        "files": {str(state): summary.files.get(state, 0) for state in RunFileState},
        "bytes": {str(state): summary.bytes.get(state, 0) for state in RunFileState},
    }


def _run_file_document(file: RunFile) -> Document:
    """Return one file of a run."""
    return {
        **path_document(file.path),
        "size": file.size,
        "modified": format_moment(file.modified_ns),
        "state": str(file.state),
        "reason": file.reason,
        "method": str(file.method),
        "keeper": path_document(file.keeper) if file.keeper else None,
        "proof": _proof(file) if file.keeper else None,
        "target": path_document(file.target) if file.target else None,
    }
