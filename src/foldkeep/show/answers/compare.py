"""Two sides compared."""

from collections.abc import Iterator, Sequence
from typing import NamedTuple

from foldkeep.find.compare import Change, Comparison, Verdict
from foldkeep.model import visible
from foldkeep.model.names import file_uri
from foldkeep.model.units import format_size

from ..page.documents import Document, path_document
from ..page.lines import write_rest
from ..page.page import CARE, GAIN, QUIET, STRONG, Page
from ..page.tables import Column
from ..page.words import count

_MEANINGS = {
    Verdict.ADDED: "only in the second",
    Verdict.GONE: "only in the first",
    Verdict.CHANGED: "same path, other content",
    Verdict.MOVED: "same content, moved or renamed",
    Verdict.SAME: "same path and content",
}
_STYLES = {Verdict.ADDED: GAIN, Verdict.GONE: CARE, Verdict.CHANGED: CARE}
_KINDS_SHOWN = 3
COMPARE_COLUMNS = ("verdict", "proven", "kind", "before", "after", "size_before", "size_after", "digest", "uri")


class ComparisonAnswer(NamedTuple):
    """Answer of `compare`: what two sides have and have not in common; of each verdict the first `top` files."""

    found: Comparison
    top: int | None

    def document(self) -> Document:
        """Return the JSON document; what is the same is only counted."""
        found = self.found
        document: Document = {
            "command": "compare",
            "first": {"name": found.first.name, "files": len(found.first.files)},
            "second": {"name": found.second.name, "files": len(found.second.files)},
            "totals": {
                str(verdict): dict(zip(("files", "bytes"), found.totals(verdict), strict=True)) for verdict in Verdict
            },
            "kinds": {
                str(verdict): {
                    kind: dict(zip(("files", "bytes"), figures, strict=True))
                    for kind, figures in sorted(found.counts[verdict].items())
                }
                for verdict in Verdict
            },
            "unproven": {str(verdict): found.unproven[verdict] for verdict in Verdict},
        }
        document["elsewhere"] = {str(verdict): number for verdict, number in found.elsewhere.items()}
        for verdict in Verdict:
            if verdict is not Verdict.SAME:
                document[str(verdict)] = [
                    _change_document(found, change) for change in found.changes if change.verdict is verdict
                ]
        return document

    def write(self, page: Page) -> None:
        """Write it for people."""
        found = self.found
        page.line("first:  ", (found.first.name, STRONG), f", {count(len(found.first.files), 'file')}")
        page.line("second: ", (found.second.name, STRONG), f", {count(len(found.second.files), 'file')}")
        page.line()
        rows = []
        for verdict in Verdict:
            files, size = found.totals(verdict)
            kinds = sorted(found.counts[verdict].items(), key=lambda item: (-item[1][1], item[0]))
            words = ", ".join(f"{kind} {number:,}" for kind, (number, _) in kinds[:_KINDS_SHOWN])
            words += ", …" if len(kinds) > _KINDS_SHOWN else ""
            rows.append((str(verdict), f"{files:,}", format_size(size), _MEANINGS[verdict], words))
        page.table(
            [Column("", style=STRONG), Column("files", True), Column("size", True), Column("what it means"),
             Column("by kind", style=QUIET)],
            rows,
        )  # fmt: skip
        unproven = ", ".join(f"{number:,} {verdict}" for verdict, number in found.unproven.items() if number)
        if unproven:
            page.line((f"Told by size and date only, since a content was not read on one side: {unproven}.", CARE))
        for verdict, side in ((Verdict.ADDED, "first"), (Verdict.GONE, "second")):
            if number := found.elsewhere.get(verdict):
                having = count(number, "file has", "files have")
                page.line(f"Of what is {verdict}, {having} a copy in the {side} all the same.")
        for verdict in Verdict:
            changes = [change for change in found.changes if change.verdict is verdict]
            if changes and self.top != 0:
                _write_changes(page, verdict, changes, self.top)


def _write_changes(page: Page, verdict: Verdict, changes: Sequence[Change], top: int | None) -> None:
    page.heading(f"{verdict}: {count(len(changes), 'file')}")
    for change in changes[:top]:
        doubt = "" if change.proven else "  (by size and date)"
        path = change.before if change.after is None else change.after
        was = f"  from {visible(change.before)}" if change.before and change.verdict is Verdict.MOVED else ""
        before = f"  was {format_size(change.was.size)}" if change.was and change.verdict is Verdict.CHANGED else ""
        page.line(
            (f"{format_size(change.entry.size):>8}  ", _STYLES.get(verdict, "")),
            visible(path or b""),
            (was + before + doubt, QUIET),
            hang=10,
        )
    write_rest(page, len(changes), top)


def _change_document(found: Comparison, change: Change) -> Document:
    return {
        "before": path_document(found.first.path(change.before)) if change.before is not None else None,
        "after": path_document(found.second.path(change.after)) if change.after is not None else None,
        "kind": change.entry.kind,
        "size": change.entry.size,
        "size_before": change.was.size if change.was else None,
        "proven": change.proven,
    }


def comparison_rows(found: Comparison) -> Iterator[list[str]]:
    """Yield the cells of `COMPARE_COLUMNS` for every change."""
    for change in found.changes:
        side, path = (found.first, change.before) if change.after is None else (found.second, change.after)
        yield [
            str(change.verdict),
            "yes" if change.proven else "by size and date",
            change.entry.kind,
            visible(change.before or b""),
            visible(change.after or b""),
            str(change.was.size) if change.was else "",
            str(change.now.size) if change.now else "",
            f"blake3:{change.entry.digest}" if change.entry.digest else "",
            file_uri(side.path(path or b"")),
        ]
