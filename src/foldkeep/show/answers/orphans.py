"""What catalogues have lost track of, and what is left over."""

import shlex
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple, TypeVar

from foldkeep.find.catalogs import LeftOver, Mending, Missing, Orphans, Standing, Twice, Unknown
from foldkeep.model import visible
from foldkeep.model.units import format_size
from foldkeep.scan import StaleThumbnail

from ..page.documents import Document, file_document, path_document
from ..page.lines import write_rest
from ..page.page import GAIN, QUIET, STRONG, Page
from ..page.words import agree, count
from .catalog import known_document, write_known

_STANDINGS = {
    Standing.SOLE: "whose content lies nowhere else that is known: import it again",
    Standing.ELSEWHERE: "with copies elsewhere, which it does not know either",
    Standing.ALIKE: "with the name of a file that it knows, or nearly, but other content",
    Standing.COPY: "equal, as last read, to a file that it knows: it may be folded",
}
_T = TypeVar("_T")
_Line = tuple[int | None, str, str]
_WRITTEN = {
    "docket": "The docket is ",
    "adopt": "The list to import is ",
    "repair": "The corrected copy is ",
}


class OrphansAnswer(NamedTuple):
    """Answer of `orphans`: of each finding the first `top`, files that were `written`, and what a copy mends."""

    found: Orphans
    top: int | None
    written: Mapping[str, str]
    mending: Mending | None = None

    def document(self) -> Document:
        """Return the JSON document."""
        found = self.found
        counts = Counter(each.standing for each in found.unknown)
        return {
            "command": "orphans",
            **known_document(found.known, found.folders),
            "standings": {str(standing): counts[standing] for standing in Standing},
            "unknown": [
                {
                    **file_document(each.file),
                    "standing": str(each.standing),
                    "other": path_document(each.other.path) if each.other else None,
                    "sole": each.is_sole,
                }
                for each in found.unknown
            ],
            "missing": [
                {
                    "text": visible(each.entry.text),
                    "where": each.entry.where,
                    "should_be": path_document(each.path) if each.path else None,
                    "now": path_document(each.now) if each.now else None,
                    "also": [path_document(path) for path in each.also],
                    "by_content": each.by_content,
                    "run": each.run,
                    "size": each.size,
                }
                for each in found.missing
            ],
            "left_over": [
                {**file_document(each.file), "masters": [path_document(path) for path in each.masters]}
                for each in found.left_over
            ],
            "thumbnails": [
                {
                    **path_document(each.path),
                    "size": each.size,
                    "of": path_document(each.master),
                    "is_gone": each.is_gone,
                }
                for each in found.thumbnails
            ],
            "twice": [
                {
                    "bytes": each.bytes,
                    "paths": [path_document(file.path) for file in each.files],
                    "entries": [{"text": visible(entry.text), "where": entry.where} for entry in each.entries],
                }
                for each in found.twice
            ],
            **self.written,
            **({"repaired": _repaired(self.mending)} if self.mending else {}),
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        found, top = self.found, self.top
        if found.known.names:
            write_known(page, found.known, found.folders)
            _write_unknown(page, found.unknown, top)
            _write_missing(page, found.missing, top)
        else:
            page.line("No catalogue is named or remembered, so only what is left over can be told.")
        left = found.left_over
        title = f"Left over, sidecars and previews whose master is gone: {_sum([each.file.size for each in left])}"
        _write_list(page, title, left, _left_line, top)
        if found.thumbnails:
            title = f"Left over, desktop thumbnails: {_sum([each.size for each in found.thumbnails])}"
            _write_list(page, title, found.thumbnails, _thumbnail_line, top)
        if found.known.names:
            _write_twice(page, found.twice, top)
        for what, path in self.written.items():
            page.line()
            page.line(_WRITTEN[what], visible(path))
            if what == "repair" and self.mending:
                _write_mending(page, self.mending)
            if what == "docket":
                page.line("Look at it with pictures: ", page.command(f"foldkeep sheet {shlex.quote(path)}"))


def _repaired(mending: Mending) -> Document:
    return {
        "moved": mending.moved,
        "perhaps": len(mending.perhaps),
        "dropped": mending.dropped,
        "stay": mending.stay,
    }


def _write_mending(page: Page, mending: Mending) -> None:
    """Say what changed in a corrected copy, and what did not."""
    perhaps = f", {len(mending.perhaps):,} of them perhaps: found by name alone" if mending.perhaps else ""
    page.line(f"{count(mending.moved, 'path')} mended{perhaps}.", indent=2)
    if mending.dropped:
        page.line(f"{count(mending.dropped, 'entry', 'entries')} left out, with all that they say.", indent=2)
    if mending.stay:
        stay = count(mending.stay, "entry", "entries")
        page.line(
            f"{stay} without a file {agree(mending.stay, 'stays', 'stay')} as written (--drop-missing).", indent=2
        )


def _write_missing(page: Page, missing: Sequence[Missing], top: int | None) -> None:
    sizes = [each.size for each in missing if each.size is not None]
    gone = f"{count(len(missing), 'entry', 'entries')}{f', {format_size(sum(sizes))} when last seen' if sizes else ''}"
    _write_list(page, f"Missing, entries without a file: {gone}", missing, _missing_line, top)


def _write_twice(page: Page, twice: Sequence[Twice], top: int | None) -> None:
    more = sum(each.bytes for each in twice)
    copies = f", {format_size(more)} of copies" if more else ""
    title = f"Twice in the catalogue: {count(len(twice), 'file')}{copies}"
    _write_list(page, title, twice, _twice_line, top)


def _write_unknown(page: Page, unknown: Sequence[Unknown], top: int | None) -> None:
    page.heading(f"Not in the catalogue: {_sum([each.file.size for each in unknown])}")
    for standing in Standing:
        part = [each for each in unknown if each.standing is standing]
        if not part:
            continue
        size = format_size(sum(each.file.size for each in part))
        page.line((f"{len(part):,}", STRONG), f" {_STANDINGS[standing]}; {size}", indent=2)
        shown = part[:top]
        with page.below(file.path for each in shown for file in (each.file, each.other) if file):
            for each in shown:
                other = f"  ({page.path(each.other.path)})" if each.other else ""
                size = f"{format_size(each.file.size):>8}  "
                page.line((size, GAIN), page.path(each.file.path), (other, QUIET), indent=2, hang=10)
        write_rest(page, len(part), top)


def _write_list(page: Page, title: str, found: Sequence[_T], line: Callable[[_T], _Line], top: int | None) -> None:
    """Write a heading, and below it of each thing found its size, if it is known, its name, and what is to be said."""
    page.heading(title)
    for each in found[:top]:
        size, name, more = line(each)
        ahead = f"{'' if size is None else format_size(size):>8}  "
        page.line((ahead, GAIN), name, (f"  {more}" if more else "", QUIET), indent=2, hang=10)
    write_rest(page, len(found), top)


def _missing_line(each: Missing) -> _Line:
    text = visible(each.path) if each.path else visible(each.entry.text)
    if each.run is not None:
        return each.size, text, f"in the fold since run {each.run}"
    if each.now is None and each.also:
        rest = f" and {count(len(each.also) - 1, 'other')}"
        return each.size, text, f"perhaps, by its name, one of {visible(each.also[0])}{rest}"
    if each.now is None:
        return each.size, text, f"({each.entry.where})"
    how = "the same content is now" if each.by_content else "perhaps, by its name,"
    others = f" and {count(len(each.also) - 1, 'other file')}" if len(each.also) > 1 else ""
    also = f", also {visible(each.also[0])}{others}" if each.also else ""
    return each.size, text, f"{how} {visible(each.now)}{also}"


def _left_line(each: LeftOver) -> _Line:
    where = f"perhaps of {visible(each.masters[0])}" if each.masters else ""
    return each.file.size, visible(each.file.path), where


def _thumbnail_line(each: StaleThumbnail) -> _Line:
    return each.size, visible(each.path), f"{visible(each.master)} {'is gone' if each.is_gone else 'changed since'}"


def _sum(sizes: Sequence[int]) -> str:
    return f"{count(len(sizes), 'file')}{f', {format_size(sum(sizes))}' if sizes else ''}"


def _twice_line(each: Twice) -> _Line:
    if len(each.files) == 1:
        return (
            each.files[0].size,
            visible(each.files[0].path),
            f"written {len(each.entries)} times: " + ", ".join(e.where for e in each.entries),
        )
    return each.files[0].size, ", ".join(visible(file.path) for file in each.files), "one content"
