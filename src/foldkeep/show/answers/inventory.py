"""Inventories: saved, and looked into."""

from collections.abc import Sequence
from typing import NamedTuple

from foldkeep.find.compare import InventoryFacts
from foldkeep.model import visible
from foldkeep.model.units import format_moment, format_size

from ..page.documents import Document, path_document
from ..page.page import COMMAND, QUIET, STRONG, Page
from ..page.tables import Column
from ..page.words import count, local_time


class SavedInventoryAnswer(NamedTuple):
    """Answer of `inventory save`; `measured` is how many contents it carries signals of, if that was asked for."""

    path: str
    labels: Sequence[str]
    files: int
    size: int
    measured: int | None = None

    def document(self) -> Document:
        """Return the JSON document."""
        return {
            "command": "inventory",
            "inventory": self.path,
            "places": list(self.labels),
            "files": self.files,
            "bytes": self.size,
            **({"measured": self.measured} if self.measured is not None else {}),
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        where = ", ".join(map(visible, self.labels))
        page.line(
            "Saved ",
            (count(self.files, "file"), STRONG),
            f" of {where}, {format_size(self.size)}, in {visible(self.path)}.",
        )
        if self.measured is not None:
            page.line("It carries what was measured of ", (count(self.measured, "content"), STRONG), ", for `alike`.")
        page.line("Look into it with: ", (f"foldkeep list --inventory {visible(self.path)}", COMMAND))


class InventoryAnswer(NamedTuple):
    """Answer of `inventory show`; it was read to its end, so it is whole."""

    found: InventoryFacts

    def document(self) -> Document:
        """Return the JSON document."""
        return {
            "command": "inventory",
            "saved": format_moment(self.found.head.saved_ns),
            "machine": self.found.head.machine._asdict() if self.found.head.machine.name else None,
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
                for place, (files, size) in zip(self.found.head.places, self.found.sizes, strict=True)
            ],
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        machine = self.found.head.machine.name
        where = f" on {visible(machine)}" if machine else ""
        page.line(f"Saved {local_time(self.found.head.saved_ns)}{where}; it is whole.")
        page.table(
            [Column("label", style=STRONG), Column("role"), Column("files", True), Column("size", True),
             Column("last scan", spare=2), Column("path", path=True), Column("volume", style=QUIET, spare=3)],
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
                for place, (files, size) in zip(self.found.head.places, self.found.sizes, strict=True)
            ],
        )  # fmt: skip
