"""Files of the stock, listed."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

from foldkeep.model import StockFile, visible
from foldkeep.model.files import format_digest
from foldkeep.model.units import format_size

from ..page.documents import Document, file_document, path_document
from ..page.files import write_empty_folders, write_files
from ..page.lines import NOTHING_FITS, write_rest
from ..page.page import STRONG, Page
from ..page.words import count


@dataclass(frozen=True, slots=True)
class ListAnswer:
    """Answer of `list`: files that fit, how many there are and their names, and empty folders if asked."""

    files: Iterable[StockFile]
    folders: Sequence[bytes]
    count: int
    names: int
    size: int
    top: int | None
    damage: Mapping[bytes, str] | None = None

    def document(self) -> Document:
        """Return the JSON document."""
        return {
            "command": "list",
            "files": map(self._listed_document, self.files),
            "folders": list(map(path_document, self.folders)),
            "totals": {"files": self.count, "bytes": self.size, "names": self.names},
        }

    def _listed_document(self, file: StockFile) -> Document:
        return {
            **file_document(file),
            "kind": file.kind,
            "disk_bytes": file.disk_bytes,
            "links": file.links,
            "digest": format_digest(file.digest) if file.digest else None,
            **({} if self.damage is None else {"damage": file.damage(self.damage)}),
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        damage = self.damage
        write_files(page, self.files, None if damage is None else lambda file: file.damage(damage))
        if self.names:
            write_rest(page, self.names, self.top, "name" if self.names > self.count else "file")
            page.line((count(self.count, "file"), STRONG), f", {format_size(self.size)}{self._links()}.")
        elif damage is None:
            page.line(NOTHING_FITS)
        else:
            page.line("No file that fits is known to be damaged; foldkeep scan --check-media looks for damage.")
        if self.folders:
            write_empty_folders(page, self.folders)

    def _links(self) -> str:
        further = self.names - self.count
        return f"; {count(further, 'further name')} are hard links to them" if further else ""


class ListedDocketAnswer(NamedTuple):
    """Answer of `list -o`."""

    docket: str
    files: int
    size: int

    def document(self) -> Document:
        """Return the JSON document."""
        return {
            "command": "list",
            "docket": self.docket,
            "totals": {"files": self.files, "bytes": self.size},
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        docket = self.docket
        if not self.files:
            page.line(f"No file that is known fits, so {visible(docket)} has no rows.")
            return
        page.line(
            (count(self.files, "file"), STRONG),
            f" in the docket {visible(docket)}; it names no keepers.",
        )
        page.line("To another drive:  ", page.command(f"foldkeep fold {visible(docket)} --method move --to DIR"))
        page.line("Into the fold:     ", page.command(f"foldkeep fold {visible(docket)} --allow-last-copy"))
