"""Which files the documents of a project use, as far as these can be read."""

import os
import re
from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Sequence

from foldkeep.formats import Mentions, mentions_in
from foldkeep.model import Problem, UnusableInput, reason_of, stem_of
from foldkeep.stock import Stock

from .catalogs import comparable, local_path, spellings, uses
from .project_folders import ProjectFolders

_TAIL = 4
_NUMBER = re.compile(r"\d+(?=\.[^.]*$)|\d+$")
# How programs write a run of pictures: kite.%04d.exr, kite.####.exr, kite.[0001-0100].exr, kite.*.exr
_NUMBERS = re.compile(r"%0?\d*d|#+|\[\d+-\d+\]|\{\d+\.\.\d+\}|\*|@+")


class Uses:
    """What the documents of one project mention.

    Parameters
    ----------
    documents
        Their paths. One that cannot be read counts as using everything, and is noted in `problems`.
    paths
        The files that are asked about later.
    """

    def __init__(self, documents: Iterable[bytes], paths: Iterable[bytes]) -> None:
        self.problems: list[Problem] = []
        self._everything = False
        self._paths: set[str] = set()
        self._names: set[str] = set()
        self._stems: set[str] = set()
        self._texts: set[str] = set()
        names = Names(_name(path) for path in paths)
        for document in documents:
            try:
                found = mentions_in(document)
            except (OSError, ValueError) as error:
                why = f"cannot be read, so it may use anything: {reason_of(error)}"
                self.problems.append(Problem(document, why))
                self._everything = True
                continue
            self._note(document, found)
            for text in found.texts:
                self._texts |= names.within(comparable(os.fsencode(text)))

    def _note(self, document: bytes, found: Mentions) -> None:
        """Note what a timeline refers to: by path, or by name where nothing lies at the path."""
        base = os.path.dirname(document)
        for entry in found.entries:
            text = local_path(entry.text)
            if text is None:
                continue
            for spelling in spellings(text):
                path = os.path.normpath(os.path.join(base, spelling))
                if not entry.by_name:
                    self._paths.add(comparable(path))
                if entry.by_name or not os.path.lexists(path):
                    self._names.add(_name(path))
                    if entry.by_name:
                        self._stems.add(_name(path))

    def mention(self, path: bytes, source: bytes = b"") -> bool:
        """Tell whether a file is used.

        Parameters
        ----------
        source
            What it is made from, if that counts for itself: a timeline that gives a name alone means that.
        """
        name, stem = _name(path), _stem(path)
        if self._everything or comparable(path) in self._paths or name in self._texts:
            return True
        return (not source or stem != _stem(source)) and (name in self._names or stem in self._stems)


class UsesOfAll:
    """What anybody uses: the documents of all projects of the stock, and the catalogues that it remembers.

    A document or catalogue that cannot be read counts as using everything, and is noted in `problems`.

    Parameters
    ----------
    paths
        The files that are asked about later.
    """

    def __init__(self, stock: Stock, projects: ProjectFolders, paths: Iterable[bytes]) -> None:
        asked = set(paths)
        self._said = Uses(projects.all_documents if asked else (), asked)
        self.problems = self._said.problems
        self._catalogued: Collection[bytes] | None = ()
        try:
            self._catalogued = asked and frozenset(uses(stock, stock.catalogs.all()))
        except UnusableInput as error:
            self.problems.append(Problem(os.fsencode(stock.path), f"a catalogue may use anything: {error}"))
            self._catalogued = None

    def mention(self, path: bytes, source: bytes = b"") -> bool:
        """Tell whether a file is used; `source` as for `Uses.mention`."""
        return self._catalogued is None or path in self._catalogued or self._said.mention(path, source)


def _name(path: bytes) -> str:
    return comparable(path.rpartition(b"/")[2])


def _stem(path: bytes) -> str:
    return comparable(stem_of(path.rpartition(b"/")[2]))


class Names:
    """Names that are looked for in texts, found by how they end: there are few endings, and many names."""

    def __init__(self, names: Iterable[str]) -> None:
        self._of_tail: dict[str, set[str]] = defaultdict(set)
        self._runs: dict[str, dict[str, set[str]]] = defaultdict(lambda: defaultdict(set))
        for name in names:
            self._of_tail[_tail(name)].add(name)
            if number := _NUMBER.search(name):
                self._runs[name[number.end() :]][name[: number.start()]].add(name)
        self._lengths = {tail: sorted({len(name) for name in found}) for tail, found in self._of_tail.items()}

    def within(self, text: str) -> set[str]:
        """Return the names that stand in a text, alone or as one of a run of numbers."""
        found: set[str] = set()
        for tail, names in self._of_tail.items():
            for end in _ends(text, tail):
                for length in self._lengths[tail]:
                    start = end - length
                    if start >= 0 and text[start:end] in names and _stands_alone(text, start, end):
                        found.add(text[start:end])
        if self._runs:
            found |= self._runs_within(text)
        return found

    def _runs_within(self, text: str) -> set[str]:
        found: set[str] = set()
        for mark in _NUMBERS.finditer(text):
            for after, befores in self._runs.items():
                if not text.startswith(after, mark.end()):
                    continue
                for length in {len(before) for before in befores}:
                    found |= befores.get(text[max(0, mark.start() - length) : mark.start()], set())
        return found


def _ends(text: str, tail: str) -> Iterator[int]:
    """Yield where each of the places ends at which a text has a tail; they may overlap."""
    at = text.find(tail)
    while at >= 0:
        yield at + len(tail)
        at = text.find(tail, at + 1)


def _tail(name: str) -> str:
    suffix = name.rpartition(".")[2]
    return "." + suffix if "." in name and suffix else name[-_TAIL:]


def _stands_alone(text: str, start: int, end: int) -> bool:
    before, after = text[start - 1 : start] if start else "", text[end : end + 1]
    return not (before.isalnum() or before in ("_", "-")) and not after.isalnum()


def unused(uses: UsesOfAll, path: bytes, sources: Sequence[bytes]) -> bool:
    """Tell whether nobody uses a file, nor what it is made from."""
    return not any(uses.mention(each) for each in (path, *sources))
