"""Where a person stands: the answer of `foldkeep` without a command."""

from typing import NamedTuple

from foldkeep.keep.register import StockOverview
from foldkeep.model import RunFileState, visible
from foldkeep.model.units import format_size

from ..page.documents import Document
from ..page.page import CARE, QUIET, STRONG, Page
from ..page.words import agree, count, joined, local_time
from .dockets import docket_words
from .ledger import unsettled_words

_FEW = 3


class StartAnswer(NamedTuple):
    """Answer of `foldkeep` alone."""

    found: StockOverview

    def document(self) -> Document:
        """Return the JSON document."""
        found = self.found
        return {
            "command": "",
            "places": found.places,
            "files": found.files,
            "bytes": found.size,
            "sets": found.totals.sets,
            "dockets": [told.made.shown for told in found.dockets],
            "runs": [summary.run.id for summary in found.runs],
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        found = self.found
        scanned = f"last scan {local_time(found.scanned_ns)}" if found.scanned_ns else "never scanned whole"
        known = f"{count(found.places, 'place')}, {count(found.files, 'file')}, {format_size(found.size)}; {scanned}"
        self._line(page, "known", known)
        totals = found.totals
        copies = f"{count(totals.spares, 'spare')} in {count(totals.sets, 'set')}; {format_size(totals.reclaimable)}"
        self._line(page, "copies", f"{copies} can be freed" if totals.sets else "no two files that were read are equal")
        for told in found.dockets[-_FEW:]:
            self._line(page, "docket", docket_words(told))
        if found.runs:
            files = sum(each.files[RunFileState.WAITING] for each in found.runs)
            size = sum(each.bytes[RunFileState.WAITING] for each in found.runs)
            runs = joined([str(each.run.id) for each in found.runs[-_FEW:]])
            more = "" if len(found.runs) <= _FEW else f" and {len(found.runs) - _FEW} earlier"
            which = f"{'run' if len(found.runs) == 1 else 'runs'} {runs}{more}"
            waits = f"{count(files, 'file')} ({format_size(size)}) {agree(files, 'waits', 'wait')} there, {which}"
            self._line(page, "fold", f"{waits}; no space is freed yet")
        for words in self._cares():
            page.line(("! ", CARE), (f"{'attention':<10}", CARE), words, hang=12)

    def _line(self, page: Page, topic: str, words: str) -> None:
        page.line("  ", (f"{topic:<10}", QUIET), (words, STRONG), hang=12)

    def _cares(self) -> list[str]:
        found = self.found
        cares = []
        cares += [unsettled_words(each, found.holder) for each in found.broken_off]
        if found.away:
            names = joined([visible(label) for label in found.away[:_FEW]])
            more = f" and {len(found.away) - _FEW} more" if len(found.away) > _FEW else ""
            cares.append(f"away: {names}{more}")
        if found.damaged:
            cares.append(f"{count(found.damaged, 'file')} {agree(found.damaged)} damaged (foldkeep fixity)")
        return cares
