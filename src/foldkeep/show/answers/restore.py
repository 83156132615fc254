"""What was brought back from packages."""

from collections import Counter
from typing import NamedTuple

from foldkeep.archive import Restoration, RestoreReport
from foldkeep.model import visible
from foldkeep.model.units import format_size

from ..page.documents import Document, path_document, problem_documents
from ..page.lines import write_first
from ..page.page import CARE, QUIET, STRONG, Page
from ..page.tables import Column
from ..page.words import count

_MOST_ROWS = 10
_MOST_RETURNS = 40


class RestoreAnswer(NamedTuple):
    """Answer of `restore`."""

    report: RestoreReport

    def document(self) -> Document:
        """Return the JSON document."""
        report = self.report
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

    def write(self, page: Page) -> None:
        """Write it for people."""
        report = self.report
        page.line(
            (visible(report.folder), STRONG),
            f": {count(report.files, 'file')}, {format_size(report.bytes)}, each compared with its manifest.",
        )
        if report.put_back:
            back = "is back where it came from" if report.put_back == 1 else "are back where they came from"
            page.line(f"{count(report.put_back, 'file')} from elsewhere {back}.")
        write_first(page, report.renamed, lambda each: _write_renamed(page, *each), "file")
        if report.outside:
            page.line("Media from elsewhere is in ", (visible(report.outside), STRONG))
        if report.fitted:
            page.line(
                f"{count(report.fitted, 'name')} could not be there and got others; the package has what they were."
            )
        if report.without_rights:
            page.line(
                "Without setuid, setgid, sticky bits and attributes that give rights: "
                f"{count(report.without_rights, 'name')} (--special-modes)"
            )
        if report.lost:
            lost = ", ".join(f"{what} of {number:,}" for what, number in report.lost.most_common(_MOST_ROWS))
            page.line(f"Could not be given back here: {lost}")


class IncompleteAnswer(NamedTuple):
    """Answer of `restore` where files are missing, so that nothing is brought back; the problems name them."""

    restoration: Restoration

    def document(self) -> Document:
        """Return the JSON document."""
        return RestoreAnswer(RestoreReport(problems=self.restoration.missing)).document()

    def write(self, page: Page) -> None:
        """Write it for people."""
        there = self.restoration.whole.files
        page.line(
            ("Nothing was brought back", CARE),
            f": the package lacks {count(len(self.restoration.missing), 'file')} that its manifest names; "
            f"{count(there, 'file')} {'is' if there == 1 else 'are'} there.",
        )


def write_refused_names(page: Page, restoration: Restoration) -> None:
    """Write which names the target cannot have."""
    number = len(restoration.refused)
    page.line((f"{count(number, 'name')} cannot be in {visible(restoration.target)}, and will get others there:", CARE))
    write_first(page, restoration.refused, lambda each: _write_refused(page, *each), "name")


def _write_refused(page: Page, path: bytes, why: str) -> None:
    page.line(visible(path), (f"  {why}", QUIET), indent=2)


def _write_renamed(page: Page, was: bytes, now: bytes) -> None:
    page.line(f"{visible(was)} is taken by another file: {visible(now)}", indent=2)


def write_returns(page: Page, restoration: Restoration) -> None:
    """Write where media from outside a project would go."""
    page.line(f"{count(restoration.whole.files, 'file')} would be brought back into ",
              (visible(restoration.target), STRONG), ". Media from elsewhere:")  # fmt: skip
    shown = restoration.returns[:_MOST_RETURNS]
    page.table(
        [Column("file", path=True), Column("size", True), Column("what becomes of it")],
        [
            (visible(each.path), format_size(each.entry.whole_size or each.entry.size),
             f"{each.way}: {each.why}" if each.why else str(each.way))
            for each in shown
        ],
    )  # fmt: skip
    if len(restoration.returns) > len(shown):
        ways = Counter(str(each.way) for each in restoration.returns)
        page.line("And more; of all: ", ", ".join(f"{number:,} × {way}" for way, number in ways.items()))
