"""What a scan saw and read."""

from typing import NamedTuple

from foldkeep.model import visible
from foldkeep.model.units import format_size
from foldkeep.scan import ScanReport

from ..page.documents import Document, problem_documents
from ..page.page import CARE, QUIET, STRONG, Page
from ..page.words import count, duration

_PASSED = {
    "hidden": "hidden",
    "system": "of the system",
    "bundles": "bundles",
    "volumes": "on other volumes",
    "ignored": "ignored by the settings",
    "size": "of other sizes than the settings want",
}


class ScanAnswer(NamedTuple):
    """Answer of `scan`."""

    report: ScanReport

    def document(self) -> Document:
        """Return the JSON document."""
        report = self.report
        return {
            "command": "scan",
            "files": report.files,
            "bytes": report.bytes,
            "hashed_files": report.hashed_files,
            "read_bytes": report.read_bytes,
            "stated": report.stated,
            "fetched_bytes": report.fetched_bytes,
            "moved": report.moved,
            "contradictions": report.contradictions,
            "rewritten": report.rewritten,
            **({"damaged": report.damaged} if report.checked else {}),
            "passed": dict(report.passed),
            "seconds": round(report.seconds, 3),
            "problems": problem_documents(report.problems),
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        report = self.report
        places = [visible(path) for path in report.places]
        if not places:
            page.line("No place could be scanned now.")
            return
        page.line(
            f"Scanned {', '.join(places)}: ",
            (count(report.files, "file"), STRONG),
            f", {format_size(report.bytes)}, in {duration(report.seconds)}.",
        )
        fetched = f", {format_size(report.fetched_bytes)} of them from servers," if report.fetched_bytes else ""
        if report.read_bytes:
            page.line(
                f"Read {format_size(report.read_bytes)}{fetched} to compare contents: "
                f"{count(report.hashed_files, 'file')} whole, of others the first and last block."
            )
        else:
            page.line("No content had to be read.")
        if report.stated:
            page.line(f"Of {count(report.stated, 'file')} the digest that the server states was enough.")
        if report.moved:
            page.line(f"Recognised {count(report.moved, 'file')} that had been moved.")
        if report.passed:
            words = ", ".join(f"{number:,} {_PASSED[why]}" for why, number in sorted(report.passed.items()))
            page.line((f"Passed by: {words}.", QUIET))
        if report.rewritten:
            files = count(report.rewritten, "file")
            page.line((f"{files} changed though size and time did not; the problems name them.", CARE))
        if report.damaged:
            damaged = page.command("foldkeep list --damaged")
            page.line((f"Found damage in {count(report.damaged, 'file')}; see what with: ", CARE), damaged)
        elif report.checked:
            read = " in what could be read" if report.problems else ""
            page.line(f"No damage was found{read}.")
        if report.contradictions:
            page.line(
                (
                    f"The first bytes of {count(report.contradictions, 'file')} say something else than the suffix; ",
                    CARE,
                ),
                ("see them with: ", CARE),
                page.command("foldkeep duplicates --details"),
            )
