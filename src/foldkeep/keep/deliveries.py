"""Films that a project made, of which a copy was delivered: each of the two has its own reason to stay."""

import os
import re
from collections import defaultdict
from collections.abc import Sequence
from functools import cached_property

from foldkeep.model import StockFile
from foldkeep.model.companions import stem_of
from foldkeep.model.names import folders_above, lies_below
from foldkeep.stock import Stock

from .folder_rules import dumps

_MADE = re.compile(
    r"(?:exports?|renders?|output|outputs|out|finals?|masters?|deliver(?:y|ed|ies|ables)|finished|fertig|ausgabe|rendu|rendus)"
)


class Deliveries:
    """Tells which copies of a film lie in the project that made them."""

    def __init__(self, stock: Stock) -> None:
        self._stock = stock

    @cached_property
    def _projects(self) -> dict[bytes, set[bytes]]:
        """The folders with documents of projects, each with the names of those without their endings."""
        found: dict[bytes, set[bytes]] = defaultdict(set)
        for path in self._stock.listing.paths_of_kind("project"):
            folder, _, name = path.rpartition(b"/")
            found[folder].add(stem_of(name).lower())
        return found

    def made_in_projects(self, copies: Sequence[StockFile]) -> list[StockFile]:
        """Return the copies of a film that lie where a project puts what it made, if a sorted one lies elsewhere."""
        if copies[0].kind != "video" or not self._projects:
            return []
        made = {copy.path: project for copy in copies if (project := self._project_of(copy.path))}
        others = [copy for copy in copies if not any(lies_below(copy.path, project) for project in made.values())]
        if not made or not others:
            return []
        in_dumps = dict(zip([copy.path for copy in copies], dumps(copies), strict=True))
        return [copy for copy in copies if copy.path in made] if not all(in_dumps[each.path] for each in others) else []

    def _project_of(self, path: bytes) -> bytes:
        """Return the folder of the project that made a film, by where it lies and what it is called; empty if none."""
        folder, _, name = path.rpartition(b"/")
        for above in (folder, *folders_above(folder)):
            if above in self._projects:
                steps = os.fsdecode(folder[len(above) :]).casefold().split("/")
                called = any(stem_of(name).lower().startswith(stem) for stem in self._projects[above])
                return above if called or any(map(_MADE.fullmatch, steps)) else b""
        return b""
