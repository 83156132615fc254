"""What a release will delete, and what it deleted."""

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from foldkeep.fold import ReleaseReport
from foldkeep.model import RunFileState, RunSummary
from foldkeep.model.units import format_size

from ..page.documents import Document, problem_documents, space_document
from ..page.lines import write_left, write_listed, write_notes, write_space
from ..page.page import CARE, GAIN, STRONG, Page
from ..page.tables import Column
from ..page.words import count, local_time


class AskedOfMachines(NamedTuple):
    """What other machines are to sign: a number, for which runs, and how many files have their keepers on each."""

    number: bytes
    runs: Sequence[int]
    waiting: Mapping[str, int]


class ReleaseAnswer(NamedTuple):
    """Answer of `release`; `stays` tells where what was left is."""

    report: ReleaseReport
    of_rests: bool = False
    stays: str = "in the fold"
    asked: AskedOfMachines | None = None

    def document(self) -> Document:
        """Return the JSON document."""
        report = self.report
        return {
            "command": "release",
            "released": report.released,
            "bytes": report.bytes,
            "held": report.held,
            "rests": report.rests,
            "rest_bytes": report.rest_bytes,
            "kept": problem_documents(report.kept),
            "space": list(map(space_document, report.space)),
            "left": problem_documents(report.left),
            "away": problem_documents(report.away),
            "number": self.asked.number.hex() if self.asked else None,
            "keepers_elsewhere": dict(self.asked.waiting) if self.asked else {},
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        report = self.report
        what = count(report.released, "rest" if self.of_rests else "file")
        page.line(
            f"{what} deleted for good; ",
            (format_size(report.bytes), GAIN),
            " came free.",
        )
        if report.held:
            page.line(
                (
                    f"{format_size(report.held)} still count on the server, as its quota shows: it keeps what was "
                    "deleted for a while. Empty its bin on its own pages to have that free.",
                    CARE,
                )
            )
        if report.rests:
            can = "One of them" if report.rests == 1 else f"{report.rests:,} of them"
            page.line(
                f"{can} can be rebuilt by foldkeep unfold, from what stays and what was written only in"
                f" {'it' if report.rests == 1 else 'them'}: {format_size(report.rest_bytes)} in the fold."
            )
        if report.kept:
            said = f"{count(len(report.kept), 'sidecar')} said what no file that stays says, so that is kept"
            write_listed(page, report.kept, said)
        write_space(page, report.space)
        write_left(page, report.left, f"still {self.stays}")
        write_notes(page, report.away)
        if self.asked:
            where = ", ".join(f"{files:,} on {machine}" for machine, files in sorted(self.asked.waiting.items()))
            runs = " ".join(map(str, self.asked.runs))
            page.line(f"Their keepers are elsewhere ({where}). To release them, within an hour:")
            page.line(
                ("there", STRONG), f": foldkeep vouch DOCKET -o FILE --number {self.asked.number.hex()}", indent=2
            )
            page.line(("here", STRONG), ":  ", page.command(f"foldkeep release {runs} --vouchers FILE"), indent=2)


def write_question(page: Page, summaries: Sequence[RunSummary], state: RunFileState) -> None:
    """Write what a release will delete, before anybody is asked."""
    page.table(
        [Column("run", True), Column("folded"), Column("files", True), Column("size", True)],
        [
            (
                str(summary.run.id),
                local_time(summary.run.started_ns),
                f"{summary.files.get(state, 0):,}",
                format_size(summary.bytes.get(state, 0)),
            )
            for summary in summaries
        ],
    )
    page.line()
