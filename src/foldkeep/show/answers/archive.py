"""Packages that were made, and packages that were checked."""

from collections import Counter
from collections.abc import Sequence
from typing import NamedTuple

from foldkeep.archive import ArchiveReport, Packing
from foldkeep.find.projects import Lending, Project
from foldkeep.fold import FoldReport
from foldkeep.model import Problem, visible
from foldkeep.model.units import format_size
from foldkeep.scan.packages import Checked

from ..page.documents import Document, path_document, problem_documents
from ..page.lines import write_first
from ..page.page import CARE, GAIN, QUIET, STRONG, Page
from ..page.tables import Column
from ..page.words import count


class ArchiveAnswer(NamedTuple):
    """Answer of `archive`."""

    reports: Sequence[tuple[ArchiveReport, FoldReport | None]]

    def document(self) -> Document:
        """Return the JSON document."""
        return {
            "command": "archive",
            "packages": [
                {
                    **path_document(report.packages[0].path),
                    "key": report.packages[0].key,
                    "parts": [
                        {**path_document(made.path), "key": made.key, "files": made.files, "bytes": made.bytes}
                        for made in report.packages
                    ],
                    "files": report.files,
                    "bytes": report.bytes,
                    "left_out": sum(report.left_out.values()),
                    "left_out_whats": report.left_out,
                    "outside": report.outside,
                    "went_on": report.went_on,
                    "problems": problem_documents(report.problems),
                    "run": folded.run if folded else None,
                    "folded": folded.folded if folded else 0,
                    "left": problem_documents(folded.left) if folded else [],
                }
                for report, folded in self.reports
            ],
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        if not self.reports:
            page.line("The docket names no project to archive.")
        for report, folded in self.reports:
            for made in report.packages:
                page.line(
                    (visible(made.path), STRONG),
                    f": {count(made.files, 'file')}, {format_size(made.bytes)}, read back and compared.",
                )
            if len(report.packages) > 1:
                page.line(
                    f"In {len(report.packages)} parts: {count(report.files, 'file')}, {format_size(report.bytes)}."
                )
            if report.left_out:
                whats = ", ".join(f"{what} {format_size(size)}" for what, size in sorted(report.left_out.items()))
                size = format_size(sum(report.left_out.values()))
                page.line("Left out, since it can be made again: ", (size, GAIN), f" ({whats})", indent=2)
            if report.outside:
                page.line(f"Brought in from elsewhere: {count(report.outside, 'file')}", indent=2)
            if report.went_on:
                page.line(f"There already, from a try that was interrupted: {count(report.went_on, 'file')}", indent=2)
            if folded and folded.run:
                page.line(
                    f"The original is in the fold: {count(folded.folded, 'file')}, {format_size(folded.bytes)}; ",
                    page.command(f"foldkeep unfold {folded.run}"), " brings it back.", indent=2,
                )  # fmt: skip


class CheckAnswer(NamedTuple):
    """Answer of `archive --check`."""

    found: Sequence[Checked]

    def document(self) -> Document:
        """Return the JSON document."""
        return {
            "command": "archive",
            "checked": [
                {
                    **path_document(each.path),
                    "whole": each.is_whole,
                    "files": each.files,
                    "bytes": each.bytes,
                    "problems": [
                        {"path": visible(problem.path), "reason": problem.reason} for problem in each.problems
                    ],
                }
                for each in self.found
            ],
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        for each in self.found:
            if each.is_whole:
                page.line(
                    (visible(each.path), STRONG), ": ", ("whole", GAIN),
                    f", {count(each.files, 'file')}, {format_size(each.bytes)}.",
                )  # fmt: skip
                continue
            page.line((visible(each.path), STRONG), ": ", (count(len(each.problems), "problem"), CARE))
            write_first(page, each.problems, lambda problem: _write_problem(page, problem), "problem")


def _write_problem(page: Page, problem: Problem) -> None:
    page.line(f"{visible(problem.path)}: " if problem.path else "", visible(problem.reason), indent=2)


def write_packings(page: Page, work: Sequence[tuple[Project, Packing, Lending | None]], target: bytes) -> None:
    """Write what is about to be archived."""
    page.line("Packages are made in ", (visible(target), STRONG), ":")
    page.table(
        [
            Column("project", style=STRONG),
            Column("files", True),
            Column("size", True),
            Column("left out", True, GAIN),
            Column("from elsewhere", True),
            Column("original", whole=True),
        ],
        [
            (
                visible(packing.project.rpartition(b"/")[2]),
                f"{len(packing.files):,}",
                format_size(packing.bytes),
                format_size(sum(packing.left_out.values())) if packing.left_out else "",
                f"{len(packing.outside):,}" if packing.outside else "",
                "folded" if lent is not None else "stays",
            )
            for _, packing, lent in work
        ],
    )
    for project, packing, lent in work:
        if lent is None:
            continue
        if lent.all:
            page.line((f"All of {visible(project.path)} stays: {lent.all} (--although-used folds it).", CARE))
        elif lent.files:
            going = {entry.source for entry in packing.files}
            stays = sum(path in going for path in lent.files)
            page.line((f"Others use {count(stays, 'file')} of {visible(project.path)}, which stay:", CARE))
            for reason, number in sorted(Counter(lent.files.values()).items()):
                page.line(reason, (f"  {count(number, 'file')}", QUIET), indent=2)
