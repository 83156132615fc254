"""All that is known of a file, or of the copies of a set: what is common said once, what differs in columns."""

import os
from collections.abc import Sequence
from typing import NamedTuple

from foldkeep.find.copies import Details, KnownCopy, MediaSet, Same
from foldkeep.formats.sidecars import Xmp
from foldkeep.model import Problem, StockFile, visible
from foldkeep.model.files import format_digest
from foldkeep.model.remote import is_remote
from foldkeep.model.units import format_moment, format_size

from ..page.documents import Document, path_document, problem_documents
from ..page.facts import fact_words, link_words, sidecar_words
from ..page.page import CARE, QUIET, STRONG, Page
from ..page.tables import Column
from ..page.words import count, local_time, owner_name
from .media_sets import media_set_document, said_apart


class DetailsAnswer(NamedTuple):
    """Answer of `show`."""

    found: Sequence[Details | MediaSet]
    problems: list[Problem]

    def document(self) -> Document:
        """Return the JSON document."""
        return {
            "command": "show",
            "shown": [
                media_set_document(each) if isinstance(each, MediaSet) else _details_document(each)
                for each in self.found
            ],
            "problems": problem_documents(self.problems),
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        for at, each in enumerate(self.found):
            if at:
                page.line()
            if isinstance(each, MediaSet):
                _write_media(page, each)
            else:
                _write_details(page, each)


def _write_media(page: Page, found: MediaSet) -> None:
    """Write what the files of a set of media say, side by side where they do not say the same."""
    files = count(len(found.copies), "file")
    title = "with one essence, under other words" if found.same is Same.ESSENCE else "that decode to the same"
    page.line((f"{found.id}: {files} {title}", STRONG))
    differs = said_apart(found)
    shared = {
        title: text
        for title, text in fact_words(found.copies[0].says).items()
        if all(fact_words(copy.says).get(title) == text for copy in found.copies)
    }
    lines = {"kind": found.copies[0].file.kind, **shared, found.same: f"{format_digest(found.agreed)} ({found.what})"}
    widest = max(map(len, lines))
    for title, text in lines.items():
        page.line((f"{title:{widest}}  ", QUIET), text, indent=2)
    page.line()
    titles = list(differs[0])
    page.table(
        [Column("", whole=True), Column("name"), Column("folder"), Column("size", True), *map(Column, titles)],
        [
            (
                str(at),
                visible(os.path.basename(copy.file.path)),
                visible(os.path.dirname(copy.file.path)),
                format_size(copy.file.size),
                *(words[title] or ("upright" if title == "stored" else "") for title in titles),
            )
            for at, (copy, words) in enumerate(zip(found.copies, differs, strict=True), start=1)
        ],
    )


def _write_details(page: Page, found: Details) -> None:
    """Write what is known of a file or a set."""
    columns = _columns(found.copies)
    alike = {title: cells[0] for title, cells in columns.items() if len(set(cells)) == 1}
    if len(found.copies) == 1:
        alike = {title: text for title, text in alike.items() if title not in ("name", "folder")}
        page.line((visible(found.copies[0].path), STRONG))
    else:
        page.line((f"{found.set}: {count(len(found.copies), 'copy', 'copies')} of one content", STRONG))
    lines = {"kind": found.kind, "size": f"{format_size(found.size)} ({found.size:,} bytes)"}
    lines |= fact_words(found.facts) | {title: text for title, text in alike.items() if text}
    lines["digest"] = format_digest(found.digest) if found.digest else "not read whole: no other file needs it"
    if all(copy.file is None for copy in found.copies):
        lines["digest"] = "not scanned: it lies in no place, or came after the last scan"
    widest = max(map(len, lines))
    for title, text in lines.items():
        page.line((f"{title:{widest}}  ", QUIET), (text, CARE if title == "problem" else ""), indent=2)
    if len(found.copies) > 1:
        page.line()
        _write_differences(page, found.copies, {title: cells for title, cells in columns.items() if title not in alike})
    if found.elsewhere:
        page.line()
        page.line("The same content lies here too; compare them with: ", page.command(f"foldkeep show {found.set}"))
        for path in found.elsewhere:
            page.line(visible(path), indent=2)
    if found.other_words:
        page.line()
        page.line("The same under other words; compare them with: ", page.command(f"foldkeep show {found.essence}"))
        for path in found.other_words:
            page.line(visible(path), indent=2)
    for package, path in found.archived:
        page.line(f"Archived from {visible(path)} in the package {visible(package)}")


def _write_differences(page: Page, copies: tuple[KnownCopy, ...], columns: dict[str, list[str]]) -> None:
    page.table(
        [Column("", whole=True), *(Column(title, whole=title == "modified") for title in columns)],
        [(str(at + 1), *(cells[at] for cells in columns.values())) for at in range(len(copies))],
    )


def _columns(copies: tuple[KnownCopy, ...]) -> dict[str, list[str]]:
    """Return what is known of each copy itself, in columns."""
    folders = [os.path.dirname(copy.path) for copy in copies]
    columns = {
        "name": [visible(os.path.basename(copy.path)) for copy in copies],
        "folder": list(map(visible, folders)),
        "place": [f"{visible(c.file.place.label)} ({c.file.place.role})" if c.file else "in no place" for c in copies],
        "volume": [visible(copy.volume) for copy in copies],
        "modified": [_modified(copy) for copy in copies],
        "on disk": [_on_disk(copy) for copy in copies],
        "links": [link_words(copy.look) for copy in copies],
        "owner": [owner_name(copy.file.owner) if copy.file else "" for copy in copies],
        "shares blocks": ["with a clone" if copy.file and copy.file.extent is not None else "" for copy in copies],
        "first bytes say": [visible(copy.file.content or "") if copy.file else "" for copy in copies],
        "pair": [", ".join(map(visible, copy.pairs)) for copy in copies],
        "written about it": [sidecar_words(copy.look) for copy in copies],
    }
    return {title: cells for title, cells in columns.items() if any(cells)}


def _on_disk(copy: KnownCopy) -> str:
    if is_remote(copy.path):
        return "on a server"
    return format_size(copy.look.disk_bytes) if copy.look.here else "away, or gone"


def _modified(copy: KnownCopy) -> str:
    if copy.look.here:
        return local_time(copy.look.modified_ns)
    return local_time(copy.file.modified_ns) if copy.file else ""


def _details_document(found: Details) -> Document:
    """Return what is known of a file or a set."""
    return {
        "set": found.set or None,
        "kind": found.kind,
        "size": found.size,
        "digest": format_digest(found.digest) if found.digest else None,
        "facts": found.facts.known(),
        "copies": [_copy_document(copy) for copy in found.copies],
        "elsewhere": [path_document(path) for path in found.elsewhere],
        "essence_set": found.essence or None,
        "other_words": [path_document(path) for path in found.other_words],
        "archived": [{"package": path_document(package), **path_document(path)} for package, path in found.archived],
    }


def _copy_document(copy: KnownCopy) -> Document:
    look = copy.look
    modified = look.modified_ns if look.here else copy.file.modified_ns if copy.file else None
    return {
        **path_document(copy.path),
        "here": look.here,
        "modified": format_moment(modified) if modified is not None else None,
        "disk_bytes": look.disk_bytes if look.here else None,
        "links": look.links,
        "same_as": list(look.same_as),
        "sidecars": [_sidecar_document(name, xmp) for name, xmp in look.sidecars],
        "pairs": list(map(visible, copy.pairs)),
        "volume": copy.volume or None,
        **_stock_document(copy.file),
    }


def _sidecar_document(name: bytes, xmp: Xmp | None) -> Document:
    said = {
        "keywords": list(xmp.keywords),
        "rating": xmp.rating,
        "title": xmp.title,
        "description": xmp.description,
        "captured": xmp.captured,
    } if xmp else {}  # fmt: skip
    return {"name": visible(name), **said}


def _stock_document(file: StockFile | None) -> Document:
    if file is None:
        return {"place": None}
    return {
        "place": file.place.label,
        "role": str(file.place.role),
        "owner": file.owner,
        "content": file.content,
        "shared": file.extent is not None,
    }
