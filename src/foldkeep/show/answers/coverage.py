"""What lies where else; and whether a folder may be given up."""

import shlex
from collections.abc import Iterator, Mapping, Sequence
from typing import NamedTuple

from foldkeep.find.coverage import (
    BY_DISKS,
    BY_VOLUMES,
    CardCoverage,
    Counted,
    Coverage,
    Demand,
    Standing,
    Whereabouts,
)
from foldkeep.keep.dockets import missing_reason
from foldkeep.model import Place, visible
from foldkeep.model.files import format_digest
from foldkeep.model.names import file_uri
from foldkeep.model.units import format_moment, format_size

from ..page.documents import Document, file_document, path_document, problem_documents
from ..page.lines import write_rest
from ..page.page import CARE, GAIN, QUIET, STRONG, Page
from ..page.tables import Column
from ..page.words import agree, count, local_day

_WORDS = {
    Standing.ONCE: "only once",
    Standing.ONE_DISK: "several times on one disk",
    Standing.NOT_KNOWN: "not known to be on two disks",
    Standing.SEVERAL_DISKS: "on two disks or more",
}
_MEANINGS = {
    Standing.ONCE: "lost if that file is",
    Standing.ONE_DISK: "lost if that disk is",
    Standing.NOT_KNOWN: "see the disks below",
    Standing.SEVERAL_DISKS: "one disk may fail, as last scanned",
}
COVERAGE_COLUMNS = (
    "size", "kind", "on", "volumes", "places", "packages", "inventories", "digest", "path", "uri", "disks",
)  # fmt: skip


class CoverageAnswer(NamedTuple):
    """Answer of `coverage` without a folder; `listed` has what was asked for, the first `top` of it."""

    found: Coverage
    demand: Demand
    places: Mapping[int, Place]
    listed: Iterator[Whereabouts]
    top: int | None
    written: Mapping[str, str]

    def document(self) -> Document:
        """Return the JSON document."""
        found = self.found
        labels = {self.places[number].label: standings for number, standings in found.places.items()}
        return {
            "command": "coverage",
            "contents": found.all.contents,
            "bytes": found.all.bytes,
            "standings": _standings_document(found.total, BY_VOLUMES),
            "disks": _standings_document(found.total, BY_DISKS),
            "disks_not_known": [{"name": name, "reason": why} for name, why in found.not_known],
            "backup_or_archive": _counted_document(found.second_role),
            "packages": _counted_document(found.packages),
            "inventories": _counted_document(found.inventories),
            "unread": _counted_document(found.unread),
            "damaged_files": found.damaged,
            "kinds": {kind: _standings_document(each, BY_VOLUMES) for kind, each in sorted(found.kinds.items())},
            "places": {label: _standings_document(each, BY_VOLUMES) for label, each in sorted(labels.items())},
            "counted": [
                {"name": each.name, "what": each.what, "when": format_moment(each.when_ns) if each.when_ns else None}
                for each in found.holders
            ],
            "chosen": _counted_document(found.chosen) if self.demand.lists else None,
            "listed": map(_whereabouts_document, self.listed) if self.demand.lists else None,
            **self.written,
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        if not self.found.all.contents:
            page.line("No file that is known has a content; scan first.")
            return
        if self.demand.lists:
            self._write_listed(page)
        else:
            self._write_overview(page)
        for what, path in self.written.items():
            page.line(f"{what.capitalize()}: {visible(path)}")
        if "docket" in self.written and self.found.chosen.contents:
            docket = visible(self.written["docket"])
            page.line(page.command(f"foldkeep fold {docket} --method copy --to DIR"), "    copies them", indent=2)

    def _write_overview(self, page: Page) -> None:
        found, total = self.found, self.found.all
        page.line((count(total.contents, "content"), STRONG), f", {format_size(total.bytes)} of one copy each")
        page.line()
        columns = [Column("", style=STRONG), Column("contents", True), Column("size", True), Column("share", True),
                   Column("", style=QUIET)]  # fmt: skip
        rows = [
            (_WORDS[each], f"{found.total[each].contents:,}", format_size(found.total[each].bytes),
             _share(found.total[each], total), _MEANINGS[each])
            for each in BY_DISKS if each is not Standing.NOT_KNOWN or found.total[each].contents
        ]  # fmt: skip
        second = found.second_role
        rows.append(("  of these on a backup or archive", f"{second.contents:,}", format_size(second.bytes),
                     _share(second, total), ""))  # fmt: skip
        page.table(columns, rows)
        kinds = sorted(found.kinds.items(), key=lambda item: -sum(each.bytes for each in item[1].values()))
        self._write_parts(page, "kind", kinds)
        labels = {self.places[number].label: standings for number, standings in found.places.items()}
        self._write_parts(page, "place", sorted(labels.items()))
        if found.total[Standing.NOT_KNOWN].contents:
            for name, why in found.not_known:
                page.line((f"{visible(name)}: {why}", CARE))
            page.line("Say it once:  ", page.command("foldkeep places PLACE --disk WORDS"), "  (one word a disk)")
        for holder in found.holders:
            if holder.when_ns:
                what = "last checked" if holder.what == "package" else "saved"
                page.line((f"Counted: {holder.name}, {what} {local_day(holder.when_ns)}", QUIET))
        if found.unread.contents:
            contents, were = count(found.unread.contents, "content"), agree(found.unread.contents, "was", "were")
            words = f"{contents} may be in a package or inventory as well, but {were} never read whole"
            page.line((f"{words}: foldkeep scan --read-all", CARE))
        if found.damaged:
            page.line((f"{count(found.damaged, 'damaged file')} not counted; see foldkeep fixity", CARE))
        if found.total[Standing.ONCE].contents:
            page.line()
            page.line("See which:  ", page.command("foldkeep coverage --fewer-than 2"))

    def _write_parts(self, page: Page, what: str, parts: Sequence[tuple[str, Mapping[Standing, Counted]]]) -> None:
        page.line()
        columns = [Column(what, style=STRONG)]
        columns += [Column(words, True) for words in ("only once", "one disk", "two or more", "size only once")]
        page.table(
            columns,
            [
                (visible(name), f"{standings[Standing.ONCE].contents:,}",
                 f"{(standings[Standing.ONE_DISK] + standings[Standing.NOT_KNOWN]).contents:,}",
                 f"{standings[Standing.SEVERAL_DISKS].contents:,}", format_size(standings[Standing.ONCE].bytes))
                for name, standings in parts
            ],
        )  # fmt: skip

    def _write_listed(self, page: Page) -> None:
        chosen = self.found.chosen
        words = f" ({format_size(chosen.bytes)}) {_asked(self.demand)}"
        page.line((count(chosen.contents, "content"), STRONG), words)
        listed = page.held(self.listed)
        with page.below(each.files[0].path for each in listed if each.files):
            for each in listed:
                path = each.files[0].path if each.files else b""
                page.line((f"{format_size(each.content.size):>8}  ", GAIN), page.path(path), hang=10)
                page.line((_where(each), QUIET), indent=10)
        write_rest(page, chosen.contents, self.top)


def _asked(demand: Demand) -> str:
    """Return what was asked for, in words."""
    if demand.fewer_than == 1 and demand.at_least is None and demand.on:
        return f"not in {visible(' or '.join(demand.on))}"
    asked = [f"on fewer than {demand.fewer_than}"] * (demand.fewer_than is not None)
    asked += [f"on at least {demand.at_least}"] * (demand.at_least is not None)
    numbers = {number for number in (demand.fewer_than, demand.at_least) if number is not None}
    disks = "disk" if numbers == {1} else "disks"
    return f"{' and '.join(asked)} {disks}" + (f", counting {visible(', '.join(demand.on))}" if demand.on else "")


def _where(each: Whereabouts) -> str:
    """Return where a content lies, in words."""
    files = len({file.identity for file in each.files})
    parts = [f"{', '.join(each.labels)}" + (f" ({files} times)" if files > 1 else "")]
    parts += [f"package {visible(archive.package)}, checked {local_day(archive.checked_ns)}"
              for archive in each.packages]  # fmt: skip
    parts += [f"{holder.name}, saved {local_day(holder.when_ns or 0)}" for holder in each.inventories]
    return visible("; ".join(parts))


def _share(part: Counted, whole: Counted) -> str:
    return f"{part.bytes / whole.bytes:.0%}" if whole.bytes else ""


def _counted_document(counted: Counted) -> Document:
    return {"contents": counted.contents, "bytes": counted.bytes}


def _standings_document(standings: Mapping[Standing, Counted], which: Sequence[Standing]) -> Document:
    return {str(each): _counted_document(standings[each]) for each in which}


def _whereabouts_document(each: Whereabouts) -> Document:
    digest = each.content.digest
    return {
        "digest": format_digest(digest) if digest else None,
        "size": each.content.size,
        "on": each.content.on,
        "volumes": each.volumes,
        "disks": each.content.disks,
        "files": [file_document(file) for file in each.files],
        "packages": [path_document(archive.package) for archive in each.packages],
        "inventories": [holder.name for holder in each.inventories],
    }


def coverage_table(listed: Iterator[Whereabouts]) -> Iterator[list[str]]:
    """Yield the cells of `COVERAGE_COLUMNS` for every content that is listed."""
    for each in listed:
        file, digest = each.files[0], each.content.digest
        yield [
            str(each.content.size),
            file.kind,
            str(each.content.on),
            str(each.volumes),
            visible(", ".join(each.labels)),
            visible(", ".join(visible(archive.package) for archive in each.packages)),
            visible(", ".join(holder.name for holder in each.inventories)),
            format_digest(digest) if digest else "",
            visible(file.path),
            file_uri(file.path),
            str(each.content.disks),
        ]


class CardCoverageAnswer(NamedTuple):
    """Answer of `coverage FOLDER`: whether it may be given up; of what is missing the first `top` files."""

    found: CardCoverage
    demand: Demand
    top: int | None
    docket: str | None

    def document(self) -> Document:
        """Return the JSON document."""
        found = self.found
        return {
            "command": "coverage",
            "folder": path_document(found.card.path),
            "files": len(found.card.files),
            "bytes": found.bytes,
            "safe": found.is_safe,
            "at_least": found.enough,
            "missing": [
                {
                    **path_document(answer.sought.file.path),
                    "size": answer.sought.file.size,
                    "reason": missing_reason(found, answer),
                }
                for answer in found.missing
            ],
            "covered": len(found.covered),
            "known_on_more": found.on_more,
            "disk": found.disk.name or None,
            "disks": found.disks,
            "on_servers": found.on_servers,
            "empty_files": found.card.empty,
            "passed": len(found.card.litter),
            "in_folds": found.card.folded,
            "docket": self.docket,
            "problems": problem_documents(found.problems),
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        found = self.found
        number, covered = len(found.card.files), len(found.covered)
        size = format_size(found.bytes)
        where = f" in {visible(', '.join(self.demand.on))}" if self.demand.on else ""
        disks = "another disk" if found.enough == 1 else f"{found.enough} other disks"
        how = "as the stock remembers; nothing was read there" if found.is_trusted else "each read there now"
        if found.is_whole:
            files = f"The only file ({size}) lies" if number == 1 else f"All {number:,} files ({size}) lie"
            on = f" ({visible('; '.join(found.disks))})" if found.disks else ""
            page.line((f"{files} on {disks}{on}{where}, {how}.", CARE if found.is_trusted else GAIN))
        elif number:
            some = f"{covered:,}" if covered else "none"
            verb, read = agree(covered or 1, "is", "are"), f", {how}" if covered else ""
            known = f"{some} of {count(number, 'file')} ({size}) {verb} known to lie on {disks}{where}{read}."
            page.line(("Not safe to format: ", CARE), known)
        if found.on_servers:
            page.line(
                f"{count(found.on_servers, 'file')} {agree(found.on_servers, 'rests', 'rest')} on a server. A picture"
                " written there did not appear here; that proves nothing if a program keeps both alike later."
            )
        if found.on_more:
            more = "a second disk" if found.enough == 1 else "one disk more"
            page.line(f"{found.on_more:,} {agree(found.on_more, 'is', 'are')} on {more} too, as the stock remembers.")
        _write_missing(page, found, self.top)
        if found.card.empty:
            page.line((f"{count(found.card.empty, 'empty file')} not counted.", QUIET))
        if found.card.litter:
            litter = count(len(found.card.litter), "file")
            page.line((f"{litter} that systems or Fold Keep wrote for themselves, read and not counted.", QUIET))
        if found.card.folded:
            page.line(f"In a fold there: {count(found.card.folded, 'file')}, looked for like all others.")
        if found.problems:
            page.line(("Not all of it could be looked at, so it is not safe to give it up.", CARE))
        if self.docket:
            page.line(f"Docket: {visible(self.docket)}")
            below = shlex.quote(visible(found.card.path))
            line = f"foldkeep fold {visible(self.docket)} --method copy --to DIR --below {below}"
            page.line(page.command(line), indent=2)


def _write_missing(page: Page, found: CardCoverage, top: int | None) -> None:
    missing = found.missing
    if not missing:
        return
    size = format_size(sum(answer.sought.file.size for answer in missing))
    words = "Not known to be on another disk" if found.enough == 1 else "Not known to be on so many other disks"
    page.line((f"{words}: {count(len(missing), 'file')} ({size})", CARE))
    with page.below(answer.sought.file.path for answer in missing[:top]):
        for answer in missing[:top]:
            file = answer.sought.file
            page.line((f"{format_size(file.size):>8}  ", CARE), page.path(file.path), hang=10)
            page.line((missing_reason(found, answer), QUIET), indent=10)
    write_rest(page, len(missing), top)
    if any(answer.unsure for answer in missing):
        page.line("Which disks are not known, and how to say what they are:  ", page.command("foldkeep places"))
