"""What a media file, and what is written about it, say: each content asked once, and remembered in the stock."""

import os
from collections.abc import Iterator
from functools import lru_cache
from types import TracebackType
from typing import Self

from foldkeep.formats import Xmp, parse_xmp
from foldkeep.model import Facts, StockBusy, StockFile, belongs_to, suffix_of
from foldkeep.stock import Stock

from .apart import Apart
from .media import read_facts
from .opening import FILE, facts_at, open_path

READER = 1
"""The version of our reading; to be raised when it finds more, so that files are asked again."""

_LARGEST_SIDECAR = 4 * 1024 * 1024  # a sidecar is a few kilobytes
_CHANGED = "it changed since the scan"


class FactsReader:
    """Tells the facts of files, from the stock where they are known and else by reading.

    What was read is put into the stock at the end, unless another Fold Keep holds it.
    """

    def __init__(self, stock: Stock) -> None:
        self._stock = stock
        self._apart = Apart()
        self._new: dict[bytes, Facts] = {}

    def of(self, file: StockFile) -> Facts:
        """Return what a file says about itself; what cannot be read is said as its `problem`."""
        if file.digest:
            known = self._new.get(file.digest) or self._stock.facts.of(file.digest, READER)
            if known:
                return known
        found = self._apart.facts(file.path, file.kind)
        try:
            facts = facts_at(file.path)
        except OSError:
            return found
        if (facts.st_size, facts.st_mtime_ns) != (file.size, file.modified_ns):
            return Facts.from_known({**found.known(), "problem": found.problem or _CHANGED})
        # What failed may go well another day: a drive that hung, a file that nobody may read.
        if file.digest and not found.problem:
            self._new[file.digest] = found
        return found

    def at(self, path: bytes, kind: str) -> Facts:
        """Return what a file says that the stock does not know."""
        return self._apart.facts(path, kind)

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._apart.close()
        if not self._new:
            return
        try:
            with self._stock.hold("facts", wait_seconds=0), self._stock.transaction(flush=False):
                self._stock.facts.put(self._new, READER)
        except StockBusy:
            pass  # they are read again another time


def capture_moment(path: bytes) -> str | None:
    """Return when a photo was taken, ``2025-06-13T10:41:07`` in the camera's own time; None where it does not say."""
    captured = read_facts(path, "photo").captured
    return captured[:19] if captured else None


@lru_cache(maxsize=4096)
def read_sidecar(path: bytes) -> Xmp | None:
    """Return what an XMP sidecar says; None for other sidecars and for what cannot be read."""
    if suffix_of(os.path.basename(path)) != "xmp":
        return None
    try:
        with open(open_path(path, FILE), "rb") as file:
            return parse_xmp(file.read(_LARGEST_SIDECAR))
    except (OSError, ValueError):
        return None


def sidecars_of(path: bytes) -> Iterator[tuple[bytes, Xmp | None]]:
    """Yield the names of the sidecars that lie beside a file now, in order, and what the XMP among them says."""
    folder, name = os.path.split(path)
    try:
        names = sorted(os.listdir(folder))
    except OSError:
        return
    for other in names:
        if belongs_to(other, name):
            yield other, read_sidecar(os.path.join(folder, other))
