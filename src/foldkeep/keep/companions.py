"""What lies beside a file and belongs to it, as the stock knows it."""

import os
from collections import defaultdict
from collections.abc import Sequence

from foldkeep.model import StockFile
from foldkeep.model.companions import owner_names, sidecar_stems, stem_of
from foldkeep.model.kinds import OTHER, kind_of
from foldkeep.signals import capture_moment, read_sidecar
from foldkeep.stock import Stock

_NEVER = "9999"

Owner = tuple[bytes, bytes]
"""A folder and a stem: what a file has in common with its companions."""


def owners(path: bytes) -> list[Owner]:
    """Return by what a file's companions know it: ``kite.xmp`` and ``kite.jpg.xmp`` both belong to ``kite.jpg``."""
    folder, name = os.path.split(path)
    return [(folder, owner) for owner in owner_names(name)]


class Companions:
    """The sidecars that the stock knows, found by the files that they belong to."""

    def __init__(self, stock: Stock) -> None:
        self._sidecars: dict[Owner, list[bytes]] = defaultdict(list)
        self._of_group: dict[Owner, set[bytes]] = defaultdict(set)
        for path in stock.listing.paths_of_kind("sidecar"):
            folder, name = os.path.split(path)
            for stem in sidecar_stems(name):
                self._sidecars[folder, stem].append(path)
                self._of_group[folder, stem].add(path)
                if kind_of(stem) != OTHER:  # kite.jpg.xmp is of kite
                    self._of_group[folder, stem_of(stem)].add(path)

    def __bool__(self) -> bool:
        """Tell whether any sidecar is known."""
        return bool(self._sidecars)

    def of(self, path: bytes) -> list[bytes]:
        """Return the paths of the sidecars of a file."""
        return [sidecar for owner in owners(path) for sidecar in self._sidecars.get(owner, ()) if sidecar != path]

    def wanted(self, path: bytes) -> list[Owner]:
        """Return those owners of a file under which a sidecar is known."""
        return [owner for owner in owners(path) if owner in self._sidecars]

    def facts(self, path: bytes) -> int:
        """Return how much is written about a file and those of its name beside it: their sidecars and what they say.

        A raw file and its JPEG are one picture, so what is written about one of them counts for both.
        """
        folder, name = os.path.split(path)
        sidecars = self._of_group.get((folder, stem_of(name)), set()) - {path}
        return sum(1 + xmp.facts if (xmp := read_sidecar(sidecar)) else 1 for sidecar in sidecars)

    def captured(self, copies: Sequence[StockFile]) -> list[str]:
        """Return when each copy of a content was taken: after its sidecar, or else after the content itself.

        Moments are texts after ISO 8601 that sort in order of time, without time zone; what is not known
        comes last.
        """
        written = [self._written_capture(copy.path) for copy in copies]
        if not any(written) or all(written):
            return [moment or _NEVER for moment in written]
        # The copies have one content, so one of them tells for all.
        own = capture_moment(copies[0].path) or _NEVER
        return [moment or own for moment in written]

    def _written_capture(self, path: bytes) -> str | None:
        moments = [xmp.captured for sidecar in self.of(path) if (xmp := read_sidecar(sidecar)) and xmp.captured]
        return min((moment[:19] for moment in moments), default=None)
