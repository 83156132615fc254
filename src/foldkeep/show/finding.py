"""The answers of the commands that look, as people read them."""

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence

from foldkeep.find.copies import FolderMatch, Overview, Relation
from foldkeep.model import CopySet, Place, Role, StockFile, Volume, visible
from foldkeep.model.units import format_size
from foldkeep.scan import Presence, ScanReport

from .page import CARE, GAIN, QUIET, STRONG, Column, Page
from .words import count, duration, local_time, owner_name

_PASSED = {
    "hidden": "hidden",
    "system": "of the system",
    "bundles": "bundles",
    "volumes": "on other volumes",
    "ignored": "ignored by the settings",
    "size": "of other sizes than the settings want",
}


def show_scan(page: Page, places: Sequence[str], report: ScanReport) -> None:
    """Write what a scan saw and read."""
    if not places:
        page.line("No place could be scanned now.")
        return
    page.line(
        f"Scanned {', '.join(places)}: ",
        (count(report.files, "file"), STRONG),
        f", {format_size(report.bytes)}, in {duration(report.seconds)}.",
    )
    if report.read_bytes:
        page.line(
            f"Read {format_size(report.read_bytes)} to compare contents: "
            f"{count(report.hashed_files, 'file')} whole, of others the first and last block."
        )
    else:
        page.line("No content had to be read.")
    if report.moved:
        page.line(f"Recognised {count(report.moved, 'file')} that had been moved.")
    if report.passed:
        words = ", ".join(f"{number:,} {_PASSED[why]}" for why, number in sorted(report.passed.items()))
        page.line((f"Passed by: {words}.", QUIET))
    if report.contradictions:
        page.line(
            (
                f"The first bytes of {count(report.contradictions, 'file')} say something else than the suffix; ",
                CARE,
            ),
            ("see them with: foldkeep duplicates --details", CARE),
        )


def show_overview(page: Page, overview: Overview, presences: Mapping[int, Presence]) -> None:
    """Write sets counted by kind and by place."""
    totals = overview.totals
    if not totals.sets:
        page.line("No two files in your places have the same content.")
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
            [Column("place"), Column("role"), Column("copies", True), Column("size", True), Column("")],
            [
                (visible(place.path), place.role, f"{files:,}", format_size(size), _where(place, presences))
                for place, files, size in overview.places
            ],
        )
    contents, size = overview.backed_up
    if contents:
        page.line()
        page.line(
            f"Backed up: of your working places {count(contents, 'content')} ({format_size(size)}) "
            f"{'lies' if contents == 1 else 'lie'} in a place of another role too."
        )
    if overview.empty_files:
        page.line((f"Empty files, which form no set: {overview.empty_files:,}.", QUIET))


def _where(place: Place, presences: Mapping[int, Presence]) -> str:
    return "" if presences.get(place.id) is Presence.HERE else "away: fetch this drive to fold copies on it"


def show_sets(
    page: Page, sets: Iterable[CopySet], presences: Mapping[int, Presence], *, proven: bool, details: bool
) -> None:
    """Write sets, each with where its copies lie."""
    for found in sets:
        _show_set(page, found, presences, proven=proven, details=details)


def _show_set(page: Page, found: CopySet, presences: Mapping[int, Presence], *, proven: bool, details: bool) -> None:
    """Write one set: what its copies have in common, then where each lies."""
    doubt = "" if proven or found.digest else "  not proven: contents differ or were not compared"
    page.line(
        (f"{format_size(found.reclaimable):>8}", GAIN),
        (f"  {found.kind}, {len(found.copies)} × {format_size(found.size)}", STRONG),
        (f"  {found.id}", QUIET),
        (f"  backed up on {', '.join(found.backed_up)}" if found.backed_up else "", QUIET),
        (doubt, CARE),
    )
    names = Counter(copy.identity for copy in found.copies)
    blocks = Counter((copy.volume, copy.extent) for copy in found.copies)
    for copy in found.copies:
        marks = []
        if names[copy.identity] > 1:
            marks.append("hard link")
        if copy.extent is not None:
            marks.append("clone" if blocks[copy.volume, copy.extent] > 1 else "shares its space with another file")
        if copy.place.role is not Role.WORKING:
            marks.append(str(copy.place.role))
        if presences.get(copy.place.id) is not Presence.HERE:
            marks.append(f"away, on {copy.place.label}")
        if details:
            marks += _details(copy, found)
        page.line(visible(copy.path), (f"  ({', '.join(marks)})" if marks else "", QUIET), indent=10)


def _details(copy: StockFile, found: CopySet) -> list[str]:
    marks = [f"changed {local_time(copy.modified_ns)}", f"owner {owner_name(copy.owner)}"]
    if found.digest is None:
        marks.append(format_size(copy.size))
    if copy.content:
        marks.append(f"its first bytes say {copy.content}")
    return marks


def show_more_sets(page: Page, shown: int, sets: int) -> None:
    """Write how many sets were not listed."""
    if sets > shown:
        page.line((f"… and {count(sets - shown, 'set')} more; --top {sets} shows all", QUIET))


def show_folder_matches(page: Page, matches: Sequence[FolderMatch], top: int | None) -> None:
    """Write folders that share contents, and how they stand to each other."""
    if not matches:
        page.line("No two folders hold the same files, and none lies whole in another.")
    for match in matches[:top]:
        page.line((f"{format_size(match.shared_bytes):>8}", GAIN), "  ", (_relation(match), STRONG))
        for folder in match.folders:
            page.line(visible(folder.path), indent=10)
    if top is not None and len(matches) > top:
        page.line((f"… and {len(matches) - top:,} more; --top {len(matches)} shows all", QUIET))


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


def show_places(
    page: Page,
    places: Sequence[Place],
    sizes: Mapping[int, tuple[int, int]],
    volumes: Mapping[int, Volume],
    presences: Mapping[int, Presence],
) -> None:
    """Write every place: what it is for, what is known of it, and whether it is here."""
    if not places:
        page.line("No place is known yet. Name a folder: foldkeep scan DIR")
        return
    page.table(
        [
            Column("label", style=STRONG),
            Column("role"),
            Column("now"),
            Column("files", True),
            Column("size", True),
            Column("last scan"),
            Column("path"),
            Column("volume", style=QUIET),
        ],
        [
            (
                place.label,
                str(place.role),
                str(presences[place.id]),
                f"{sizes.get(place.id, (0, 0))[0]:,}",
                format_size(sizes.get(place.id, (0, 0))[1]),
                local_time(place.scanned_ns) if place.scanned_ns else "never",
                visible(place.path),
                volumes[place.volume].name,
            )
            for place in places
        ],
    )


def show_settings(page: Page, path: str, there: bool, table: Sequence[tuple[str, str, bool]]) -> None:
    """Write every setting in force and where it comes from."""
    page.line(f"Settings file: {path}" + ("" if there else " (not there; write one to change what is built in)"))
    page.line()
    page.table(
        [Column("setting", style=STRONG), Column("value"), Column("from", style=QUIET)],
        [(key, value, "the file" if given else "built in") for key, value, given in table],
    )
