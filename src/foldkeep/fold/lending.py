"""Files that lend their picture or sound to rests: what released files are rebuilt from, wherever it lies now."""

import os
from collections import Counter
from collections.abc import Iterator
from contextlib import suppress
from functools import cached_property
from typing import NamedTuple

from foldkeep.formats.own import Rest
from foldkeep.model import PathBytes, RunFile
from foldkeep.model.names import lies_in_a_fold
from foldkeep.model.remote import is_remote
from foldkeep.scan import places_here
from foldkeep.scan.bins import lies_in_a_bin
from foldkeep.signals.essences import ESSENCE, FileSource, NoEssence, Source, essence_of, essence_with_digest, source_at
from foldkeep.stock import Stock

from .rests import read_open_rest
from .vault import REST, files_folder, runs_in

_MOST_WORDS = 256 * 1024 * 1024
"""How many bytes somebody may have written about a picture since: as many as a rest may have."""


class Needed(NamedTuple):
    """The essence that a rest needs: its kind, digest and length."""

    kind: str
    essence: bytes
    length: int

    @classmethod
    def by(cls, rest: Rest) -> "Needed":
        """Return what a rest needs."""
        return cls(rest.kind, rest.essence, rest.length)


class Lenders:
    """Finds what lends an essence to rests, and the rests that need one."""

    def __init__(self, stock: Stock) -> None:
        self._stock = stock

    def having(self, file: RunFile, rest: Rest | None) -> Iterator[PathBytes]:
        """Yield where files may lie that have the essence of a rest, or the content of a copy that we made.

        The keeper and its copies come first, then what is known to have the essence. Last come the files of fitting
        size, of which only those are given that are read now and have it: somebody may have moved the keeper and
        written something else about it since.
        """
        seen = set[PathBytes]()
        known = self._stock.sets.paths_of(file.source.digest if file.source else file.words or file.digest)
        others = self._stock.essences.paths_of(ESSENCE.name, ESSENCE.version, rest.essence) if rest else []
        for path in (file.keeper, *known, *others):
            if path not in seen and (_may_lend(path) or (not rest and is_remote(path))):
                seen.add(path)
                yield path
        if rest:
            yield from self._fitting(Needed.by(rest), file.keeper, seen)

    def _fitting(self, needed: Needed, keeper: PathBytes, seen: set[PathBytes]) -> Iterator[PathBytes]:
        """Yield files that are read now and have an essence: beside a former keeper, and wherever the size fits."""
        for path in (*_beside(keeper), *self._stock.holdings.paths_of_sizes(needed.length, _MOST_WORDS)):
            if path not in seen and _may_lend(path):
                seen.add(path)
                if shows(path, needed):
                    yield path

    def needs(self, file: RunFile, descriptor: int) -> int:
        """Return how many rests need an open file that is to go: nothing else that is read now has its essence.

        The rests in all folds that are here are asked, and the ledger for those that are away.
        """
        count = self._by_keeper[file.content]
        if not (count or self._at_hand):
            return 0
        own = _needed_of(FileSource(descriptor, file.size), {needed.kind for needed in self._at_hand})
        count = max(count, self._at_hand[own] if own else 0)
        if count and own and next(self._fitting(own, b"", {file.path}), None) is not None:
            return 0
        return count

    @cached_property
    def _by_keeper(self) -> Counter[bytes]:
        return Counter(self._stock.ledger.lending())

    @cached_property
    def _at_hand(self) -> Counter[Needed]:
        """The essences that the rests in folds need, of all places that are here."""
        here = places_here(self._stock)
        tops = [place.path for place in self._stock.places.all() if place.id in here]
        found: Counter[Needed] = Counter()
        for path in _rests_in(tops):
            with suppress(OSError, NoEssence), source_at(path) as source:
                if rest := read_open_rest(source):
                    found[Needed.by(rest)] += 1
        return found


def _rests_in(places: list[PathBytes]) -> Iterator[PathBytes]:
    for place in places:
        with suppress(OSError):
            for key in runs_in(place):
                files = files_folder(place, key)
                with suppress(OSError):
                    names = set(os.listdir(files))
                    # One beside its file was proved when that was folded; the file itself is there still.
                    gone = (n for n in names if n.startswith(REST) and n[len(REST) :] not in names)
                    yield from (os.path.join(files, name) for name in gone)


def _may_lend(path: PathBytes) -> bool:
    return bool(path) and not (is_remote(path) or lies_in_a_fold(path) or lies_in_a_bin(path))


def _beside(path: PathBytes) -> Iterator[PathBytes]:
    """Yield the files in the folder of a path, with its suffix."""
    folder, name = os.path.split(path)
    suffix = os.path.splitext(name)[1].lower()
    with suppress(OSError):
        for each in sorted(os.listdir(folder)) if folder else ():
            if each != name and os.path.splitext(each)[1].lower() == suffix:
                yield os.path.join(folder, each)


def shows(path: PathBytes, needed: Needed) -> bool:
    """Tell whether a file has an essence, read now; what cannot be read has none."""
    with suppress(OSError, NoEssence), source_at(path) as source:
        return source.size >= needed.length and _needed_of(source, {needed.kind}, needed.length) == needed
    return False


def _needed_of(source: Source, kinds: set[str], length: int | None = None) -> Needed | None:
    """Return what a rest would have to need for a file to lend it; None if it is of other kinds, or another length."""
    try:
        essence = essence_of(source)
        if (kinds and essence.kind not in kinds) or length not in (None, essence.length):
            return None
        essence, digest = essence_with_digest(source)
        return Needed(essence.kind, digest, essence.length)
    except NoEssence:
        return None
