"""What a machine vouches for, and what it protects for that."""

import shlex
from collections.abc import Sequence
from typing import NamedTuple

from foldkeep.fold.elsewhere import Protection
from foldkeep.model import Problem, visible
from foldkeep.model.files import format_digest
from foldkeep.model.units import format_moment, format_size
from foldkeep.model.vouchers import Voucher

from ..page.documents import Document, path_document, problem_documents
from ..page.lines import write_listed
from ..page.page import COMMAND, STRONG, Page
from ..page.tables import Column
from ..page.words import agree, count, local_time


class VouchAnswer(NamedTuple):
    """Answer of `vouch DOCKET`."""

    voucher: Voucher
    path: str
    left: list[Problem]

    def document(self) -> Document:
        """Return the JSON document."""
        return {
            "command": "vouch",
            "machine": self.voucher.machine._asdict(),
            "docket": format_digest(self.voucher.docket),
            "made": format_moment(self.voucher.made_ns),
            "for_release": bool(self.voucher.number),
            "files": [{**path_document(file.path), "size": file.size, "digest": format_digest(file.digest)}
                      for file in self.voucher.files],
            "left": problem_documents(self.left),
            "voucher": self.path or None,
        }  # fmt: skip

    def write(self, page: Page) -> None:
        """Write it for people."""
        files = self.voucher.files
        if files:
            size = format_size(sum(file.size for file in files))
            page.line(
                visible(self.voucher.machine.name), " vouches for ", (count(len(files), "file"), STRONG),
                f", {size}, read just now. {agree(len(files), 'It is', 'They are')} protected until you end that.",
            )  # fmt: skip
            path = shlex.quote(self.path)
            within = "an hour of the number" if self.voucher.number else "a day"
            command = f"foldkeep release RUN --vouchers {path}" if self.voucher.number else (
                f"foldkeep fold DOCKET --vouchers {path}"
            )  # fmt: skip
            page.line(f"On the other machine, within {within}: ", (command, COMMAND))
        if self.left:
            are = agree(len(self.left), "is", "are")
            write_listed(page, self.left, f"{count(len(self.left), 'keeper')} {are} not vouched for")


class ProtectedAnswer(NamedTuple):
    """Answer of `vouch`: what is protected."""

    protected: Sequence[Protection]

    def document(self) -> Document:
        """Return the JSON document."""
        return {
            "command": "vouch",
            "protected": [
                {
                    "place": path_document(each.place),
                    "docket": format_digest(each.docket),
                    "made": format_moment(each.made_ns),
                    "not_before": format_moment(each.until_ns) if each.until_ns else None,
                    "files": [path_document(path) for path in sorted(each.paths)],
                }
                for each in self.protected
            ],
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        if not self.protected:
            page.line("Nothing is protected for another machine.")
            return
        page.table(
            [Column("files", True), Column("since"), Column("for the docket", spare=1), Column("place", path=True)],
            [
                (f"{len(each.paths):,}", local_time(each.made_ns), each.docket.hex()[:16], visible(each.place))
                for each in self.protected
            ],
        )
