"""Inventories and dockets that were made of listings, as people read them."""

from collections.abc import Sequence

from foldkeep.find.compare import InventoryFacts
from foldkeep.model import StockFile, visible
from foldkeep.model.files import format_digest
from foldkeep.model.units import format_moment, format_size

from .documents import Document, file_document, path_document
from .page import COMMAND, QUIET, STRONG, Column, Page
from .words import count, local_time


def show_saved_inventory(page: Page, path: str, labels: Sequence[str], files: int, size: int) -> None:
    """Write what was saved and where."""
    where = ", ".join(map(visible, labels))
    page.line("Saved ", (count(files, "file"), STRONG), f" of {where}, {format_size(size)}, in {visible(path)}.")
    page.line("Look into it with: ", (f"foldkeep list --inventory {visible(path)}", COMMAND))


def show_inventory(page: Page, found: InventoryFacts) -> None:
    """Write what an inventory has; it was read to its end, so it is whole."""
    page.line(f"Saved {local_time(found.head.saved_ns)}; it is whole.")
    page.table(
        [Column("label", style=STRONG), Column("role"), Column("files", True), Column("size", True),
         Column("last scan"), Column("path"), Column("volume", style=QUIET)],
        [
            (
                visible(place.label),
                visible(place.role),
                f"{files:,}",
                format_size(size),
                local_time(place.scanned_ns) if place.scanned_ns else "never",
                visible(place.path),
                visible(place.volume_name),
            )
            for place, (files, size) in zip(found.head.places, found.sizes, strict=True)
        ],
    )  # fmt: skip


def inventory_document(found: InventoryFacts) -> Document:
    """Return what an inventory has."""
    return {
        "saved": format_moment(found.head.saved_ns),
        "places": [
            {
                **path_document(place.path),
                "label": place.label,
                "role": place.role,
                "files": files,
                "bytes": size,
                "scanned": format_moment(place.scanned_ns) if place.scanned_ns else None,
                "volume": {"key": place.volume_key, "name": place.volume_name},
            }
            for place, (files, size) in zip(found.head.places, found.sizes, strict=True)
        ],
    }


def listed_document(file: StockFile) -> Document:
    """Return a file of a listing."""
    return {
        **file_document(file),
        "kind": file.kind,
        "disk_bytes": file.disk_bytes,
        "links": file.links,
        "digest": format_digest(file.digest) if file.digest else None,
    }


def show_listed_docket(page: Page, files: int, docket: str) -> None:
    """Write what docket was made of a listing, and what can be done with it."""
    if not files:
        page.line(f"No file that is known fits, so {visible(docket)} has no rows.")
        return
    page.line((count(files, "file"), STRONG), f" in the docket {visible(docket)}; nothing says that a copy stays.")
    page.line("To another drive:  ", (f"foldkeep fold {visible(docket)} --method move --into DIR", COMMAND))
    page.line("Into the fold:     ", (f"foldkeep fold {visible(docket)} --allow-last-copy", COMMAND))


def show_sheet(page: Page, path: str, size: int, sets: int, picture: str | None) -> None:
    """Write where a sheet is."""
    page.line(
        (count(sets, "set"), STRONG), f" on the page {visible(path)} ({format_size(size)}); open it in a browser."
    )
    if picture:
        page.line(f"The first of them are drawn in {visible(picture)}.")
