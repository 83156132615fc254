"""Sets of copies, and folders that share contents."""

import shlex
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import NamedTuple

from foldkeep.find.copies import Duplicates, FolderMatch, Overview, Question, Relation, Totals
from foldkeep.model import CopySet, Place, Role, StockFile, visible
from foldkeep.model.files import format_digest
from foldkeep.model.names import file_uri
from foldkeep.model.remote import SOMEBODY_ELSE
from foldkeep.model.units import format_moment, format_size
from foldkeep.scan import Presence

from ..page.documents import Document, file_document, path_document
from ..page.lines import NOTHING_FITS, write_rest
from ..page.page import CARE, GAIN, QUIET, STRONG, Page
from ..page.tables import Column
from ..page.words import agree, count, local_time, owner_name

_ORDER_WORDS = {
    "saving": "largest saving first",
    "size": "largest files first",
    "count": "most copies first",
    "name": "in order of name",
}
SETS_COLUMNS = ("set", "kind", "size", "copies", "can_come_free", "path", "place", "modified", "digest", "uri")


class SetsAnswer(NamedTuple):
    """Answer of `duplicates`: sets counted in all, by kind and by place, and listed.

    `across` is how many sets there are where places of different roles are compared as one, if there are none else.
    """

    found: Duplicates
    overview: Overview
    question: Question
    presences: Mapping[int, Presence]
    top: int | None
    details: bool
    nothing_fits: bool = False
    across: int = 0

    def document(self) -> Document:
        """Return the JSON document."""
        return {
            "command": "duplicates",
            **_overview_document(self.overview),
            "sets": (
                {**set_document(each), "same": ",".join(sorted(self.question.same))}
                for each in self.found.sets(self.top)
            ),
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        if self.nothing_fits:
            page.line(NOTHING_FITS)
            return
        _write_overview(page, self.overview, self.presences)
        if self.across:
            page.line(
                f"{count(self.across, 'set')} {agree(self.across, 'has', 'have')} copies in places of different roles,"
                " which are no spares of each other. To list them: ",
                page.command("foldkeep duplicates --across"),
            )
        sets = self.overview.totals.sets
        if sets and self.top != 0:
            page.heading(f"Sets, {_ORDER_WORDS[self.question.sort]}")
            proven = "content" in self.question.same
            shown = page.held(self.found.sets(self.top))
            with page.below(copy.path for each in shown for copy in each.copies):
                for each in shown:
                    write_set(page, each, self.presences, proven=proven, details=self.details)
            write_rest(page, sets, self.top, "set")


class FoldersAnswer(NamedTuple):
    """Answer of `duplicates --folders`."""

    matches: Sequence[FolderMatch]
    top: int | None
    nothing_fits: bool = False

    def document(self) -> Document:
        """Return the JSON document."""
        return {"command": "duplicates", "folders": list(map(_match_document, self.matches[: self.top]))}

    def write(self, page: Page) -> None:
        """Write it for people."""
        matches, top = self.matches, self.top
        if self.nothing_fits:
            page.line(NOTHING_FITS)
        elif not matches:
            page.line("No two folders hold the same files, and none lies whole in another.")
        with page.below(folder.path for match in matches[:top] for folder in match.folders):
            for match in matches[:top]:
                page.line((f"{format_size(match.shared_bytes):>8}", GAIN), "  ", (_relation(match), STRONG), hang=10)
                for folder in match.folders:
                    page.line(page.path(folder.path), indent=10)
        write_rest(page, len(matches), top)


def sets_rows(sets: Iterable[CopySet]) -> Iterator[list[str]]:
    """Yield the cells of `SETS_COLUMNS` for every copy of every set."""
    for found in sets:
        shared = [found.id, found.kind, str(found.size), str(len(found.copies)), str(found.reclaimable)]
        for copy in found.copies:
            yield [
                *shared,
                visible(copy.path),
                copy.place.label,
                format_moment(copy.modified_ns),
                format_digest(copy.digest) if copy.digest else "",
                file_uri(copy.path),
            ]


def _write_overview(page: Page, overview: Overview, presences: Mapping[int, Presence]) -> None:
    """Write sets counted by kind and by place."""
    totals = overview.totals
    if not totals.sets:
        where = "on one side" if overview.mirrored[0] else "in places of one role"
        page.line(f"No two files {where} have the same content, as far as they were read.")
    else:
        rows = [*overview.kinds.items(), ("in all", totals)]
        page.table(
            [Column("kind"), Column("sets", True), Column("spares", True), Column("can come free", True, GAIN)],
            [(name, f"{t.sets:,}", f"{t.spares:,}", format_size(t.reclaimable)) for name, t in rows],
            total=True,
        )
    if len(overview.places) > 1:
        page.line()
        page.table(
            [Column("place", path=True), Column("role"), Column("copies", True), Column("size", True), Column("")],
            [
                (visible(place.path), place.role, f"{files:,}", format_size(size), _where(place, presences))
                for place, files, size in overview.places
            ],
        )
    contents, size = overview.backed_up
    if contents:
        page.line()
        page.line(
            f"Also in a backup or archive: {count(contents, 'content')} ({format_size(size)}) of your working places."
            " Whether that is another disk: ",
            page.command("foldkeep coverage"),
        )
    contents, size = overview.mirrored
    if contents and overview.unsure:
        page.line()
        one, other = (shlex.quote(place.label) for place in overview.unsure)
        separate = page.command(f"foldkeep places --separate {one} {other}")
        page.line(_in_one(contents, size), separate)
    if overview.empty_files:
        page.line((f"Empty files, not compared: {overview.empty_files:,}.", QUIET))


def _in_one(contents: int, size: int) -> str:
    return (
        f"On this machine and on a server: {count(contents, 'content')} ({format_size(size)}), which count as one copy "
        "each, since a program may keep both sides alike: what goes from one would go from the other. "
        "If none does: "
    )


_WHERE = {Presence.HERE: "", Presence.SERVER: "on a server", Presence.ELSEWHERE: "on another machine"}


def _where(place: Place, presences: Mapping[int, Presence]) -> str:
    return _WHERE.get(presences.get(place.id, Presence.AWAY), "away: fetch this drive to fold copies on it")


def write_set(page: Page, found: CopySet, presences: Mapping[int, Presence], *, proven: bool, details: bool) -> None:
    """Write one set: what its copies have in common, then where each lies."""
    doubt = "" if proven or found.digest else "  not proven: contents differ or were not compared"
    names = Counter(copy.identity for copy in found.copies)
    linked = f" under {count(len(found.copies), 'name')}" if len(names) < len(found.copies) else ""
    page.line(
        (f"{format_size(found.reclaimable):>8}", GAIN),
        (f"  {found.kind}, {len(names)} × {format_size(found.size)}{linked}", STRONG),
        (f"  {found.id}", QUIET),
        (f"  also in {', '.join(found.backed_up)}" if found.backed_up else "", QUIET),
        (f"  perhaps kept alike on {', '.join(found.mirrored)}" if found.mirrored else "", QUIET),
        (doubt, CARE),
        hang=10,
    )
    blocks = Counter((copy.volume, copy.extent) for copy in found.copies)
    for copy in found.copies:
        marks = []
        if names[copy.identity] > 1:
            marks.append("hard link")
        if copy.extent is not None:
            marks.append("clone" if blocks[copy.volume, copy.extent] > 1 else "shares its space with another file")
        if copy.place.role is not Role.WORKING:
            marks.append(str(copy.place.role))
        if copy.owner == SOMEBODY_ELSE:
            marks.append("somebody else's")
        if presences.get(copy.place.id) not in _WHERE:
            marks.append(f"away, on {copy.place.label}")
        if details:
            marks += _details(copy, found)
        page.line(page.path(copy.path), (f"  ({', '.join(marks)})" if marks else "", QUIET), indent=10)


def _details(copy: StockFile, found: CopySet) -> list[str]:
    marks = [f"changed {local_time(copy.modified_ns)}", f"owner {owner_name(copy.owner)}"]
    if found.digest is None:
        marks.append(format_size(copy.size))
    if copy.content:
        marks.append(f"its first bytes say {copy.content}")
    return marks


def _relation(match: FolderMatch) -> str:
    files = count(match.shared_files, "file")
    if match.relation is Relation.SAME:
        return f"same: {files} in each"
    first, second = match.folders
    if match.relation is Relation.CONTAINED:
        more = second.files - match.shared_files
        has_more = f", which has {more:,} more" if more > 0 else ""
        what = "the one file" if match.shared_files == 1 else f"all {files}"
        verb = "is" if match.shared_files == 1 else "are"
        return f"contained: {what} of the first {verb} also in the second{has_more}"
    return (
        f"overlap: {match.shared_files:,} of {count(first.files, 'file')} of the first ({match.share:.0%}) "
        f"{'is' if match.shared_files == 1 else 'are'} also in the second, which has {second.files:,}"
    )


def set_document(found: CopySet) -> Document:
    """Return a set with all its copies."""
    return {
        "id": found.id,
        "size": found.size,
        "kind": found.kind,
        "digest": format_digest(found.digest) if found.digest else None,
        "proven": found.digest is not None,
        "reclaimable": found.reclaimable,
        "backed_up": list(found.backed_up),
        "mirrored": list(found.mirrored),
        "copies": [
            {
                **file_document(copy),
                "owner": copy.owner,
                "links": copy.links,
                "content": copy.content,
                "shared": copy.extent is not None,
            }
            for copy in found.copies
        ],
    }


def _overview_document(overview: Overview) -> Document:
    """Return sets counted in all, by kind and by place."""
    contents, size = overview.backed_up
    return {
        "totals": totals_document(overview.totals),
        "kinds": {kind: totals_document(totals) for kind, totals in overview.kinds.items()},
        "places": {place.label: {"copies": files, "bytes": bytes_} for place, files, bytes_ in overview.places},
        "backed_up": {"contents": contents, "bytes": size},
        "mirrored": {"contents": overview.mirrored[0], "bytes": overview.mirrored[1]},
        "empty_files": overview.empty_files,
    }


def totals_document(totals: Totals) -> Document:
    """Return counts of sets and spares, and bytes."""
    return {"sets": totals.sets, "spares": totals.spares, "reclaimable": totals.reclaimable}


def _match_document(match: FolderMatch) -> Document:
    """Return folders that share contents."""
    return {
        "relation": str(match.relation),
        "folders": [
            {**path_document(folder.path), "files": folder.files, "bytes": folder.bytes} for folder in match.folders
        ],
        "shared_files": match.shared_files,
        "shared_bytes": match.shared_bytes,
        "share": round(match.share, 4),
    }
