"""What can be made again, as people read it."""

from collections import defaultdict
from collections.abc import Sequence

from foldkeep.find import Caches, Regenerable
from foldkeep.model import format_size, visible

from .documents import Document, file_document, path_document
from .page import CARE, GAIN, QUIET, STRONG, Column, Page
from .words import count

Key = tuple[str, bytes, str]


def show_caches(page: Page, found: Caches, top: int | None) -> None:
    """Write what can be made again by what it is, project and version, and apart from it the last of their kind."""
    if found.last:
        page.line((f"{count(len(found.last), 'file')} whose source is gone: perhaps the last there is of it, ", CARE),
                  (format_size(_size(found.last)), STRONG))  # fmt: skip
        for each in found.last[:top]:
            page.line(visible(each.file.path), (f"  {each.what}, {each.evidence}", QUIET), indent=2)
        if top is not None and len(found.last) > top:
            page.line((f"… and {len(found.last) - top:,} more; --top {len(found.last)} shows all", QUIET), indent=2)
        page.line()
    if not found.found:
        page.line("Nothing was found that is known to be made again.")
        return
    page.line(
        (count(len(found.found), "file"), STRONG), " can be made again, ", (format_size(_size(found.found)), GAIN), "."
    )
    page.table(
        [
            Column("what", whole=True),
            Column("files", True),
            Column("size", True, GAIN),
            Column("version"),
            Column("project"),
            Column("evidence", style=QUIET),
        ],
        [
            (
                what,
                f"{len(files):,}",
                format_size(_size(files)),
                version,
                visible(project) if project else "",
                ", ".join(sorted({each.evidence for each in files})),
            )
            for (what, project, version), files in _groups(found.found)[:top]
        ],
    )


def _groups(files: Sequence[Regenerable]) -> list[tuple[Key, list[Regenerable]]]:
    """Return files by what they are, project and version, the largest group first."""
    groups: dict[Key, list[Regenerable]] = defaultdict(list)
    for each in files:
        groups[each.what, each.project or b"", each.version].append(each)
    return sorted(groups.items(), key=lambda item: (-_size(item[1]), item[0]))


def _size(files: Sequence[Regenerable]) -> int:
    return sum(each.file.size for each in files)


def caches_document(found: Caches) -> Document:
    """Return what can be made again, and what cannot since its source is gone."""
    return {
        "bytes": _size(found.found),
        "groups": [
            {
                "what": what,
                "project": path_document(project) if project else None,
                "version": version,
                "files": len(files),
                "bytes": _size(files),
            }
            for (what, project, version), files in _groups(found.found)
        ],
        "regenerable": [_document(each) for each in found.found],
        "source_gone": [_document(each) for each in found.last],
    }


def _document(each: Regenerable) -> Document:
    return {
        **file_document(each.file),
        "what": each.what,
        "evidence": each.evidence,
        "source": path_document(each.source) if each.source else None,
        "project": path_document(each.project) if each.project else None,
        "version": each.version,
    }
