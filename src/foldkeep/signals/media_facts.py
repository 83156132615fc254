"""What a media file, and what is written about it, say: each content asked once, and remembered in the stock."""

import os
from collections.abc import Collection, Iterator, Sequence
from dataclasses import replace
from functools import lru_cache, partial
from types import TracebackType
from typing import NamedTuple, Self

from foldkeep.formats.sidecars import LARGEST_SIDECAR, Xmp, parse_xmp
from foldkeep.model import Facts, Problem, Progress
from foldkeep.model.companions import belongs_to
from foldkeep.model.errors import StockBusy
from foldkeep.model.kinds import suffix_of
from foldkeep.stock import Pictures, Signal, Stock, Unmeasured
from foldkeep.storage.local.reading import FILE, facts_at, modified_ns, open_path

from .extractors import MEDIA, MEDIA_FACTS, PICTURE
from .gathering import find_signals
from .helpers import Helpers
from .media import damage_told, read_facts
from .media_worker import Apart, NotRead

_AT_ONCE = 64


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
        self._helpers = Helpers()
        self._pictures: Pictures | None = None
        self._new: dict[bytes, Facts] = {}
        self._damage: dict[bytes, str] = {}

    def facts(self, file: Medium) -> Facts:
        """Return what a file says about itself; what cannot be read is said as its `problem`."""
        return self._known(file) or self._learn(file, *self._helpers.do(partial(_facts_by, file)))

    def views(self, files: Sequence[Medium]) -> Iterator[tuple[Facts, bytes | None]]:
        """Yield the facts of each file and a small picture of it as JPEG, None if none can be made."""
        if self._pictures is None:
            self._pictures = Pictures(self._stock.path, PICTURE.version)
        for at in range(0, len(files), _AT_ONCE):
            part = files[at : at + _AT_ONCE]
            known = [self._known(file) for file in part]
            pictures = [self._pictures.of(file.digest) if file.digest else (False, None) for file in part]
            jobs = [
                self._helpers.submit(partial(_look, file, facts is None, not found))
                for file, facts, (found, _) in zip(part, known, pictures, strict=True)
            ]
            for file, facts, (found, jpeg), job in zip(part, known, pictures, jobs, strict=True):
                (read, is_read), (made, is_made) = job.result()
                if not found and file.digest and is_made:
                    self._pictures.put(file.digest, made)
                yield facts or self._learn(file, read, is_read), jpeg if found else made

    def _known(self, file: Medium) -> Facts | None:
        if file.kind not in MEDIA:
            return Facts()
        if file.digest is None or file.digest in self._new:
            return self._new[file.digest] if file.digest else None
        known = self._stock.signals.of(file.digest, MEDIA_FACTS.name, MEDIA_FACTS.version)
        return Facts.from_known(known.values) if known else None

    def _learn(self, file: Medium, found: Facts, lasts: bool) -> Facts:
        try:
            facts = facts_at(file.path)
        except OSError:
            return found
        if (facts.st_size, modified_ns(facts)) != (file.size, file.modified_ns):
            return replace(found, problem=found.problem or "it changed since the scan")
        # What could not be read may be another day: a drive that hung, a file that nobody may read.
        if file.digest and lasts:
            self._new[file.digest] = found
            self._damage[file.digest] = damage_told(file.path, found)
        return found

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._helpers.__exit__(kind, error, trace)
        if self._pictures is not None:
            self._pictures.__exit__(kind, error, trace)
        if not self._new:
            return
        try:
            with self._stock.hold("facts", wait_seconds=0), self._stock.transaction(flush=False):
                found = {digest: Signal(facts.known(), self._damage[digest]) for digest, facts in self._new.items()}
                self._stock.signals.put(found, MEDIA_FACTS.name, MEDIA_FACTS.version)
        except StockBusy:
            pass  # they are read again another time


def _look(
    file: Medium, needs_facts: bool, needs_picture: bool, helper: Apart
) -> tuple[tuple[Facts, bool], tuple[bytes | None, bool]]:
    """Return facts and picture, each with whether that is what the content gives, and not the state of a drive."""
    if needs_facts and needs_picture:
        try:
            found, jpeg = helper.look(file.path, file.kind)
            return (found, True), (jpeg, True)
        except NotRead:
            pass  # the one may do where the other hangs
    facts = _facts_by(file, helper) if needs_facts else (Facts(), False)
    try:
        return facts, (helper.picture(file.path, file.kind) if needs_picture else None, needs_picture)
    except NotRead:
        return facts, (None, False)


def _facts_by(file: Medium, helper: Apart) -> tuple[Facts, bool]:
    """Return what a file says, and whether its content says so."""
    try:
        return helper.facts(file.path, file.kind), True
    except NotRead as error:
        return Facts(problem=str(error)), False


def make_facts(stock: Stock, places: Collection[int], progress: Progress) -> list[Problem]:
    """Ask the contents in places that were not asked yet what they say of themselves; return what could not be read.

    The stock is held.
    """
    return find_signals(stock, MEDIA_FACTS, _facts_signal, places, "Reading what files say", progress)


def _facts_signal(helper: Apart, each: Unmeasured) -> Signal:
    facts = helper.facts(each.path, each.kind)
    return Signal(facts.known(), damage_told(each.path, facts))


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
            return parse_xmp(file.read(LARGEST_SIDECAR))
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
