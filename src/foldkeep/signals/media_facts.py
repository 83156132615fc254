"""What a media file, and what is written about it, say: each content asked once, and remembered in the stock."""

import os
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from functools import lru_cache
from queue import SimpleQueue
from types import TracebackType
from typing import NamedTuple, Self

from foldkeep.formats import Xmp, parse_xmp
from foldkeep.model import Facts, StockBusy, belongs_to, suffix_of
from foldkeep.stock import Pictures, Stock
from foldkeep.storage.local import FILE, facts_at, modified_ns, open_path

from .media import read_facts
from .media_worker import Apart

READER, MAKER = 1, 1
"""The versions of our reading and of our making of pictures; a higher one asks all files again."""

MEDIA = frozenset({"photo", "video", "audio"})
"""The kinds of files that say something about themselves."""

_HELPERS = 2
_AT_ONCE = 64

_LARGEST_SIDECAR = 4 * 1024 * 1024  # a sidecar is a few kilobytes


class Medium(NamedTuple):
    """A file as somebody knows it; `digest` is None where its content was not read whole."""

    path: bytes
    kind: str
    size: int
    modified_ns: int
    digest: bytes | None


class MediaReader:
    """Tells facts and shows pictures of files: what is known from the stock and beside it, the rest by reading.

    Facts that were read are put into the stock at the end, unless another Fold Keep holds it.
    """

    def __init__(self, stock: Stock) -> None:
        self._stock = stock
        self._helpers = [Apart() for _ in range(_HELPERS)]
        self._idle: SimpleQueue[Apart] = SimpleQueue()
        for helper in self._helpers:
            self._idle.put(helper)
        self._executor = ThreadPoolExecutor(_HELPERS)
        self._pictures: Pictures | None = None
        self._new: dict[bytes, Facts] = {}

    def facts(self, file: Medium) -> Facts:
        """Return what a file says about itself; what cannot be read is said as its `problem`."""
        return self._known(file) or self._learn(file, self._helpers[0].facts(file.path, file.kind))

    def views(self, files: Sequence[Medium]) -> Iterator[tuple[Facts, bytes | None]]:
        """Yield the facts of each file and a small picture of it as JPEG, None if none can be made."""
        if self._pictures is None:
            self._pictures = Pictures(self._stock.path, MAKER)
        for at in range(0, len(files), _AT_ONCE):
            part = files[at : at + _AT_ONCE]
            known = [self._known(file) for file in part]
            pictures = [self._pictures.of(file.digest) if file.digest else (False, None) for file in part]
            jobs = [
                self._executor.submit(self._look, file, facts is None, not found)
                for file, facts, (found, _) in zip(part, known, pictures, strict=True)
            ]
            for file, facts, (found, jpeg), job in zip(part, known, pictures, jobs, strict=True):
                read, made = job.result()
                if not found and file.digest and (made or not (read and read.problem)):
                    self._pictures.put(file.digest, made)
                yield facts or self._learn(file, read or Facts()), jpeg if found else made

    def _look(self, file: Medium, needs_facts: bool, needs_picture: bool) -> tuple[Facts | None, bytes | None]:
        helper = self._idle.get()
        try:
            facts = helper.facts(file.path, file.kind) if needs_facts else None
            return facts, helper.picture(file.path, file.kind) if needs_picture else None
        finally:
            self._idle.put(helper)

    def _known(self, file: Medium) -> Facts | None:
        if file.kind not in MEDIA:
            return Facts()
        return (self._new.get(file.digest) or self._stock.facts.of(file.digest, READER)) if file.digest else None

    def _learn(self, file: Medium, found: Facts) -> Facts:
        try:
            facts = facts_at(file.path)
        except OSError:
            return found
        if (facts.st_size, modified_ns(facts)) != (file.size, file.modified_ns):
            return replace(found, problem=found.problem or "it changed since the scan")
        # What failed may go well another day: a drive that hung, a file that nobody may read.
        if file.digest and not found.problem:
            self._new[file.digest] = found
        return found

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._executor.shutdown(wait=False, cancel_futures=True)
        for helper in self._helpers:
            helper.kill()
        self._executor.shutdown()
        for helper in self._helpers:
            helper.close()
        if self._pictures is not None:
            self._pictures.__exit__(kind, error, trace)
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
