"""The user's cache folder, told of beside the answers of several commands."""

import shlex
from typing import NamedTuple

from foldkeep.find.space import UserCache
from foldkeep.model import visible
from foldkeep.model.units import format_moment, format_size

from ..page.documents import Document, path_document
from ..page.page import STRONG, Page
from ..page.words import count, local_day
from . import Answer

_FEW = 3


class WithUserCache(NamedTuple):
    """An answer, and what lies in the user's cache folder; None if nothing does."""

    answer: Answer
    found: UserCache | None

    def document(self) -> Document:
        """Return the JSON document."""
        told = {"user_cache": _document(self.found)} if self.found else {}
        return {**self.answer.document(), **told}

    def write(self, page: Page) -> None:
        """Write it for people."""
        self.answer.write(page)
        found = self.found
        if found is None:
            return
        least = "" if found.is_whole else "at least "
        page.line(
            ("Your programs' caches", STRONG),
            f", {visible(found.path)}: {least}{format_size(found.size)} in {count(found.files, 'file')}, last used"
            f" {local_day(found.used_ns)}; "
            + ", ".join(f"{visible(each.name)} {format_size(each.size)}" for each in found.programs[:_FEW]),
        )
        where = shlex.quote(visible(found.path))
        command = page.command(f"foldkeep caches --under {where}" if found.is_scanned else f"foldkeep scan {where}")
        meaning = "lists what may go" if found.is_scanned else "includes it: a scan of the folders above passes it by"
        page.line(command, f"   {meaning}", indent=2)


def _document(found: UserCache) -> Document:
    return {
        **path_document(found.path),
        "files": found.files,
        "bytes": found.size,
        "whole": found.is_whole,
        "scanned": found.is_scanned,
        "used": format_moment(found.used_ns),
        "programs": [
            {"name": visible(each.name), "files": each.files, "bytes": each.size, "used": format_moment(each.used_ns)}
            for each in found.programs
        ],
    }
