"""What came back."""

from typing import NamedTuple

from foldkeep.fold import UnfoldReport
from foldkeep.model import Method, visible

from ..page.documents import Document, path_document, problem_documents
from ..page.lines import write_first, write_left, write_notes
from ..page.page import CARE, Page
from ..page.words import agree, count


class UnfoldAnswer(NamedTuple):
    """Answer of `unfold`."""

    report: UnfoldReport

    def document(self) -> Document:
        """Return the JSON document."""
        report = self.report
        return {
            "command": "unfold",
            "run": report.run,
            "restored": report.restored,
            "renamed": [{"from": path_document(was), "to": path_document(now)} for was, now in report.renamed],
            "left": problem_documents(report.left),
            "notes": problem_documents(report.notes),
            "strays": problem_documents(report.strays),
            "away": problem_documents(report.away),
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        report = self.report
        of_run = "" if report.run is None else f" of run {report.run}"
        if not (report.restored or report.left or report.strays):
            if report.away:
                write_notes(page, report.away)
                return
            page.line(f"Nothing{of_run} waits in the fold.")
            return
        if report.method is Method.COPY:
            taken = agree(report.restored, "is", "are")
            page.line(f"{count(report.restored, 'copy', 'copies')}{of_run} {taken} taken away again.")
        else:
            back = report.restored - len(report.renamed)  # the others are beside that
            words = "is back where it was" if back == 1 else "are back where they were"
            page.line(f"{count(back, 'file')}{of_run} {words}.")
        write_first(page, report.renamed, lambda each: _write_renamed(page, *each), "file")
        write_notes(page, [*report.strays, *report.notes, *report.away])
        left = "not back where they were" if len(report.left) > 1 else "not back where it was"
        write_left(page, report.left, "not taken away" if report.method is Method.COPY else left)


def _write_renamed(page: Page, was: bytes, now: bytes) -> None:
    page.line((f"{visible(was)} has another name now: ", CARE), visible(now), indent=2)
