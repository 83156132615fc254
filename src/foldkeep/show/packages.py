"""Packages that were made, checked and brought back, as people read them."""

from collections import Counter
from collections.abc import Sequence

from foldkeep.archive import ArchiveReport, Packing, Restoration, RestoreReport
from foldkeep.find.projects import Lending, Project
from foldkeep.fold import FoldReport
from foldkeep.model import visible
from foldkeep.model.units import format_size
from foldkeep.scan import Checked

from .documents import Document, path_document, problem_documents
from .page import CARE, GAIN, QUIET, STRONG, Column, Page
from .words import count

_MOST_ROWS = 10
_MOST_RETURNS = 40


def show_packings(page: Page, work: Sequence[tuple[Project, Packing, Lending | None]], target: bytes) -> None:
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


def show_archived_projects(page: Page, reports: Sequence[tuple[ArchiveReport, FoldReport | None]]) -> None:
    """Write what was archived, and what became of the originals."""
    if not reports:
        page.line("The docket names no project to archive.")
    for report, folded in reports:
        for made in report.packages:
            page.line(
                (visible(made.path), STRONG),
                f": {count(made.files, 'file')}, {format_size(made.bytes)}, read back and compared.",
            )
        if len(report.packages) > 1:
            page.line(f"In {len(report.packages)} parts: {count(report.files, 'file')}, {format_size(report.bytes)}.")
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
                f"The original is in the fold: {count(folded.folded, 'file')}, {format_size(folded.bytes)}; "
                f"foldkeep unfold {folded.run} brings it back.",
                indent=2,
            )


def archive_document(reports: Sequence[tuple[ArchiveReport, FoldReport | None]]) -> Document:
    """Return what was archived."""
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
            for report, folded in reports
        ],
    }


def show_checked(page: Page, found: Sequence[Checked]) -> None:
    """Write what packages were found to be."""
    for each in found:
        if each.is_whole:
            page.line(
                (visible(each.path), STRONG), ": ", ("whole", GAIN),
                f", {count(each.files, 'file')}, {format_size(each.bytes)}.",
            )  # fmt: skip
            continue
        page.line((visible(each.path), STRONG), ": ", (count(len(each.problems), "problem"), CARE))
        for problem in each.problems:
            page.line(f"{visible(problem.path)}: " if problem.path else "", visible(problem.reason), indent=2)


def checked_document(found: Sequence[Checked]) -> Document:
    """Return what packages were found to be."""
    return {
        "command": "archive",
        "checked": [
            {
                **path_document(each.path),
                "whole": each.is_whole,
                "files": each.files,
                "bytes": each.bytes,
                "problems": [{"path": visible(problem.path), "reason": problem.reason} for problem in each.problems],
            }
            for each in found
        ],
    }


def show_incomplete(page: Page, restoration: Restoration) -> None:
    """Write that nothing can be brought back, since files are missing; which ones the problems tell."""
    there = restoration.whole.files
    page.line(
        ("Nothing was brought back", CARE),
        f": the package lacks {count(len(restoration.missing), 'file')} that its manifest names; "
        f"{count(there, 'file')} {'is' if there == 1 else 'are'} there.",
    )


def show_refused_names(page: Page, restoration: Restoration) -> None:
    """Write which names the target cannot have."""
    number = len(restoration.refused)
    page.line((f"{count(number, 'name')} cannot be in {visible(restoration.target)}, and will get others there:", CARE))
    for path, why in restoration.refused[:_MOST_ROWS]:
        page.line(visible(path), (f"  {why}", QUIET), indent=2)
    if number > _MOST_ROWS:
        page.line(f"and {number - _MOST_ROWS:,} more", indent=2)


def show_returns(page: Page, restoration: Restoration) -> None:
    """Write where media from outside a project would go."""
    page.line(f"{count(restoration.whole.files, 'file')} would be brought back into ",
              (visible(restoration.target), STRONG), ". Media from elsewhere:")  # fmt: skip
    shown = restoration.returns[:_MOST_RETURNS]
    page.table(
        [Column("file"), Column("size", True), Column("what becomes of it")],
        [
            (visible(each.path), format_size(each.entry.whole_size or each.entry.size),
             f"{each.way}: {each.why}" if each.why else str(each.way))
            for each in shown
        ],
    )  # fmt: skip
    if len(restoration.returns) > len(shown):
        ways = Counter(str(each.way) for each in restoration.returns)
        page.line("And more; of all: ", ", ".join(f"{number:,} × {way}" for way, number in ways.items()))


def show_restored(page: Page, report: RestoreReport) -> None:
    """Write what was brought back, and where it is."""
    page.line(
        (visible(report.folder), STRONG),
        f": {count(report.files, 'file')}, {format_size(report.bytes)}, each compared with its manifest.",
    )
    if report.put_back:
        page.line(f"{count(report.put_back, 'file')} from elsewhere is back where it came from." if report.put_back == 1
                  else f"{report.put_back:,} files from elsewhere are back where they came from.")  # fmt: skip
    for was, now in report.renamed[:_MOST_ROWS]:
        page.line(f"{visible(was)} is taken by another file: {visible(now)}", indent=2)
    if report.outside:
        page.line("Media from elsewhere is in ", (visible(report.outside), STRONG))
    if report.fitted:
        page.line(f"{count(report.fitted, 'name')} could not be there and got others; the package has what they were.")
    if report.without_rights:
        page.line(
            "Without setuid, setgid, sticky bits and attributes that give rights: "
            f"{count(report.without_rights, 'name')} (--special-modes)"
        )
    if report.lost:
        lost = ", ".join(f"{what} of {number:,}" for what, number in report.lost.most_common(_MOST_ROWS))
        page.line(f"Could not be given back here: {lost}")


def restore_document(report: RestoreReport) -> Document:
    """Return what was brought back."""
    return {
        "command": "restore",
        "folder": path_document(report.folder) if report.folder else None,
        "outside": path_document(report.outside) if report.outside else None,
        "files": report.files,
        "bytes": report.bytes,
        "put_back": report.put_back,
        "fitted": report.fitted,
        "without_rights": report.without_rights,
        "lost": dict(report.lost),
        "renamed": [{"from": path_document(was), "to": path_document(now)} for was, now in report.renamed],
        "problems": problem_documents(report.problems),
    }
