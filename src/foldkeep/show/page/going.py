"""What goes, by folder: on a page and as a document."""

from collections.abc import Sequence

from foldkeep.keep.dockets import FolderSum
from foldkeep.model.units import format_size

from .documents import Document, path_document
from .page import GAIN, QUIET, Page
from .words import count, more


def write_going(page: Page, sums: Sequence[FolderSum], most: int | None) -> None:
    """Write from where files go, the largest sums first, why, and where their keepers stay."""
    if not sums:
        return
    page.heading(f"From {count(len(sums), 'folder')}, the most first" if len(sums) > 1 else "From one folder")
    shown = sums[:most]
    with page.below(path for each in shown for path in (each.folder, *(folder for folder, _ in each.keepers))):
        for each in shown:
            page.line(
                (f"{format_size(each.size):>8}", GAIN),
                f"  {count(each.files, 'file')} in {page.path(each.folder)}",
                indent=2,
                hang=10,
            )
            page.line((f"{_reasons(each)}{_stay(page, each)}", QUIET), indent=12)
    if most is not None and len(sums) > most:
        page.line((f"… and {more(len(sums) - most, 'folder')} (--details shows all)", QUIET), indent=2)


def going_documents(sums: Sequence[FolderSum]) -> list[Document]:
    """Return what goes, by folder, as JSON documents."""
    return [
        {
            "from": path_document(each.folder),
            "files": each.files,
            "bytes": each.size,
            "reasons": dict(each.reasons),
            "keepers": [{**path_document(folder), "files": files} for folder, files in each.keepers],
        }
        for each in sums
    ]


def _reasons(each: FolderSum) -> str:
    (reason, files), *others = each.reasons
    return reason if not others else f"{reason} ({files:,}), and {count(len(others), 'other reason')}"


def _stay(page: Page, each: FolderSum) -> str:
    if not each.keepers:
        return "; nothing stays for it"
    (folder, _), *others = each.keepers
    stay = f"; stays in {page.path(folder)}"
    return stay + (f" and {count(len(others), 'other folder')}" if others else "")
