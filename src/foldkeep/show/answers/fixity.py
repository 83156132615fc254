"""What was read again, and what is no longer what it was."""

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from foldkeep.find.coverage import Damage, Fixity, GoodCopies
from foldkeep.model import Place, visible
from foldkeep.model.files import format_digest
from foldkeep.model.remote import is_remote
from foldkeep.model.units import format_moment, format_size

from ..page.documents import Document, file_document, path_document, problem_documents
from ..page.page import CARE, GAIN, QUIET, STRONG, Page
from ..page.words import agree, count, local_day

_MOST_COPIES = 6


class FixityAnswer(NamedTuple):
    """Answer of `fixity`; `away` are places that could not be read, `docket` is where one was written."""

    found: Fixity
    places: Mapping[int, Place]
    away: Sequence[bytes]
    docket: str | None

    def document(self) -> Document:
        """Return the JSON document."""
        report = self.found.report
        return {
            "command": "fixity",
            "files": report.files,
            "bytes": report.bytes,
            "first": report.first,
            "damaged": [self._damage_document(each) for each in self.found.damaged],
            "changed": [self._damage_document(each) for each in self.found.changed],
            "edited": [path_document(each.due.path) for each in report.edited],
            "left": {"files": report.left, "bytes": report.left_bytes},
            "away": [path_document(path) for path in self.away],
            "docket": self.docket,
            "problems": problem_documents([*report.problems, *report.stale]),
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        report = self.found.report
        for damage in self.found.damaged:
            self._write(page, damage, "DAMAGED", CARE)
        for damage in self.found.changed:
            self._write(page, damage, "changed, cause unknown", CARE)
        if self.found.damaged or self.found.changed:
            page.line()
        read, are = f"{count(report.files, 'file')} ({format_size(report.bytes)})", agree(report.files, "is", "are")
        page.line("Read again: ", (read, GAIN), f" {are} as last read{_first(report.first, report.files)}.")
        if self.found.damaged:
            number = len(self.found.damaged)
            healed = sum(bool(each.good.files) for each in self.found.damaged)
            page.line((f"{count(number, 'file')} damaged; {healed:,} with a good copy in a place.", CARE))
        if self.found.changed:
            page.line((f"{count(len(self.found.changed), 'file')} changed, cause unknown.", CARE))
        if report.edited:
            words = "only in what is written about it" if len(report.edited) == 1 else "only in what is written in them"
            page.line(f"{count(len(report.edited), 'file')} changed {words}.")
        if report.left:
            page.line(
                f"{count(report.left, 'file')} ({format_size(report.left_bytes)}) not read this time; the next run"
                " goes on there."
            )
        for path in self.away:
            why = "lies on a server" if is_remote(path) else "is away"
            page.line((f"{visible(path)} {why}; nothing was read there.", QUIET))
        if not (report.files or report.left or self.found.damaged or self.found.changed or report.stale):
            page.line("There was nothing to read; scan first.")
        if self.docket:
            page.line(f"Docket: {self.docket}")
            if any(each.good.files for each in self.found.damaged):
                page.line(
                    page.command(f"foldkeep fold {self.docket} --method heal"),
                    "    puts good copies in their place",
                    indent=2,
                )

    def _write(self, page: Page, damage: Damage, what: str, style: str) -> None:
        due, check = damage.found.due, damage.found.check
        page.line((f"{what}  ", style), (visible(due.path), STRONG), f"  {format_size(due.size)}", hang=2)
        if not check.found:
            page.line(("its drive does not give all of it any more", CARE), indent=4)
        _write_good(page, damage.good)

    def _damage_document(self, damage: Damage) -> Document:
        due, check = damage.found.due, damage.found.check
        return {
            **path_document(due.path),
            "size": due.size,
            "modified": format_moment(due.modified_ns),
            "place": self.places[due.place].label,
            "expected": format_digest(check.expected) if check.expected else None,
            "found": format_digest(check.found) if check.found else None,
            "good": [file_document(file) for file in damage.good.files],
            "packages": [
                {**path_document(archive.package), "checked": format_moment(archive.checked_ns), "file": visible(path)}
                for archive, path in damage.good.packages
            ],
            "inventories": [
                {"inventory": each.inventory, "place": each.label, "saved": format_moment(each.saved_ns)}
                for each in damage.good.inventories
            ],
        }


def _first(first: int, files: int) -> str:
    if not first:
        return ""
    return " for the first time" if first == files else f", or read for the first time: {first:,}"


def _write_good(page: Page, good: GoodCopies) -> None:
    for file in good.files[:_MOST_COPIES]:
        page.line(("good: ", GAIN), f"{visible(file.path)}  ({file.place.label})", indent=4)
    for archive, path in good.packages[:_MOST_COPIES]:
        checked = local_day(archive.checked_ns)
        page.line(("good: ", GAIN), f"{visible(path)} in {visible(archive.package)}, checked {checked}", indent=4)
    for cupboard in good.inventories[:_MOST_COPIES]:
        saved = local_day(cupboard.saved_ns)
        page.line(("good: ", GAIN), f"{cupboard.label}, as {visible(cupboard.inventory)} had it on {saved}", indent=4)
    if not good:
        page.line(("no good copy is known", CARE), indent=4)
