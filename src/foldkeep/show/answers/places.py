"""The places that are known."""

import shlex
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from foldkeep.model import Place, Volume, visible
from foldkeep.model.disks import Disks
from foldkeep.model.machines import Machine
from foldkeep.model.units import format_moment, format_size
from foldkeep.scan import Presence

from ..page.documents import Document, path_document
from ..page.page import CARE, QUIET, STRONG, Page
from ..page.tables import Column
from ..page.words import local_time

ONE_IF_ALIKE = "Folders kept alike by a program are one copy: what goes from one goes from the other; both are lost."


class PlacesAnswer(NamedTuple):
    """Answer of `places`."""

    places: Sequence[Place]
    sizes: Mapping[int, tuple[int, int]]
    volumes: Mapping[int, Volume]
    presences: Mapping[int, Presence]
    disks: Mapping[int, Disks]

    def document(self) -> Document:
        """Return the JSON document."""
        return {
            "command": "places",
            "places": [
                _place_document(
                    place,
                    self.sizes.get(place.id, (0, 0)),
                    self.volumes[place.volume],
                    self.presences[place.id],
                    self.disks[place.id],
                )
                for place in self.places
            ],
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        if not self.places:
            page.line("No place is known yet. Name a folder: foldkeep scan DIR")
            return
        page.table(
            [
                Column("label", style=STRONG),
                Column("role"),
                Column("now"),
                Column("files", True, spare=1),
                Column("size", True),
                Column("last scan", spare=2),
                Column("path", path=True),
                Column("disk", style=QUIET, spare=3),
                Column("volume", style=QUIET, spare=4),
            ],
            [
                (
                    place.label,
                    str(place.role),
                    str(self.presences[place.id]),
                    f"{self.sizes.get(place.id, (0, 0))[0]:,}",
                    format_size(self.sizes.get(place.id, (0, 0))[1]),
                    local_time(place.scanned_ns) if place.scanned_ns else "never",
                    visible(place.path),
                    visible(self.disks[place.id].name) or "not known",
                    self.volumes[place.volume].name,
                )
                for place in self.places
            ],
        )
        for place in self.places:
            if why := self.disks[place.id].why:
                page.line((f"The disk of {visible(place.label)} is not known: {why}.", CARE))
        unknown = [place for place in self.places if self.disks[place.id].why]
        if unknown:
            page.line("Which disk is it? Say it in a word of yours; places with one word share a disk:")
            label = shlex.quote(visible(unknown[0].label))
            page.line(page.command(f'foldkeep places {label} --disk "blue box"'), indent=2)


def _place_document(
    place: Place, size: tuple[int, int], volume: Volume, presence: Presence, disks: Disks
) -> Document:  # fmt: skip
    """Return a place with what is known of it."""
    return {
        "label": place.label,
        **path_document(place.path),
        "role": str(place.role),
        "now": str(presence),
        "files": size[0],
        "bytes": size[1],
        "scanned": format_moment(place.scanned_ns) if place.scanned_ns else None,
        "also": sorted(place.asked),
        "mark": place.mark or None,
        "disk": {"name": disks.name or None, "said": place.disk or None, "reason": disks.why or None},
        "volume": {
            "key": volume.key,
            "name": volume.name,
            "capabilities": volume.capabilities.known() if volume.capabilities else None,
        },
    }


class KeysAnswer(NamedTuple):
    """Answer of `vouch --machine-key`, `--learn-key` and `--forget-key`; `line` is empty if only others are told."""

    line: str
    machine: Machine
    learned: Sequence[Machine]

    def document(self) -> Document:
        """Return the JSON document."""
        return {
            "command": "places",
            "machine": self.machine._asdict(),
            "key": self.line or None,
            "learned": [machine._asdict() for machine in self.learned],
        }

    def write(self, page: Page) -> None:
        """Write it for people, and other machines."""
        if self.line:
            page.line(self.line)
        elif self.learned:
            page.line(
                "This machine believes what is signed by ", (", ".join(m.name for m in self.learned), STRONG), "."
            )
        else:
            page.line("This machine believes what no other one signs.")
