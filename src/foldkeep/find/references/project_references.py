"""Which files the documents of a project use, as far as these can be read."""

import os
import re
from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from itertools import chain, islice

from foldkeep.formats.documents import Mentions, mentions_in
from foldkeep.model import Problem, UnusableInput
from foldkeep.model.companions import stem_of
from foldkeep.model.kinds import kind_of
from foldkeep.model.work import reason_of
from foldkeep.stock import Stock

from ..catalogs.catalog_files import comparable, local_path, spellings, uses
from .aliases import aliases
from .project_folders import ProjectFolders

_TAIL = 4
_REEL = 8  # characters that CMX 3600 has for the name of a tape
_NUMBER, _LAST_NUMBER = re.compile(r"\d+"), re.compile(r"\d+$")
_MOST_NUMBERS = 2  # of a name that may count the pictures of a run, from its end
_WORD, _SHORTEST_STEM = re.compile(r"[\w-]+"), 4
_PLAYED = ("video", "audio")
# How programs write a run of pictures: kite.%04d.exr, kite.####.exr, kite.[0001-0100].exr, kite.$F4.exr, …
_NUMBERS = re.compile(
    r"%0?\d*[du]|%\(\w+\)0?\d*d|#+|\[\d+[-:,]\d+\]|\{\d+(?:\.\.|-)\d+\}|\{\w*(?::\w+)?\}|<\w+>|\$\{?[A-Za-z]+\d*\}?|\*|@+|\?+"
)


class Uses:
    """Mentions in the documents of one project.

    Parameters
    ----------
    documents
        Their paths. One that cannot be read counts as using everything, and is noted in `problems`.
    paths
        The files that are asked about later, or their names as `names_of` gives them.
    keeps_texts
        Also tell by texts whether a file is looked for where it lies.
    """

    def __init__(
        self, documents: Iterable[bytes], paths: "Iterable[bytes] | Names", *, keeps_texts: bool = False
    ) -> None:
        self.problems: list[Problem] = []
        self._everything = False
        self._paths: set[str] = set()
        self._names: set[str] = set()
        self._stems: set[str] = set()
        self._texts: set[str] = set()
        self._starts: set[str] = set()
        self._said: list[str] = []
        self._known: dict[bytes, tuple[bool, bool]] = {}
        names = paths if isinstance(paths, Names) else names_of(paths)
        for document in documents:
            try:
                found = mentions_in(document)
            except (OSError, ValueError) as error:
                why = f"cannot be read, so it may use anything: {reason_of(error)}"
                self.problems.append(Problem(document, why))
                self._everything = True
                continue
            self._note(document, found)
            for reel in found.reels:
                self._stems.add(comparable(os.fsencode(reel)))
                if len(reel) == _REEL:
                    self._starts |= {comparable(os.fsencode(reel)), _plain(reel)}
            for text in found.texts:
                said = comparable(os.fsencode(text))
                here = names.within(said)
                self._texts |= here
                if keeps_texts and here:
                    self._said.append(said.replace("\\", "/"))

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
                    self._paths |= {comparable(path), comparable(os.path.realpath(path))}
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
        if self._everything or (self._paths and comparable(path) in self._paths):
            return True
        name = path.rpartition(b"/")[2]
        if name not in self._known:
            self._known[name] = self._named(name)
        by_text, by_name = self._known[name]
        return by_text or (by_name and not (source and _stem(path) == _stem(source)))

    def mention_there(self, path: bytes) -> bool:
        """Tell whether a file is looked for where it lies: by its path, or by its name and that of its folder."""
        whole = comparable(path)
        if whole in self._paths:
            return True
        end = "/".join(whole.split("/")[-2:])
        return any(end in said for said in self._said)

    def perhaps(self, by_path: Mapping[str, bytes], by_name: Mapping[str, Sequence[bytes]]) -> set[bytes] | None:
        """Return those of some files that may be used; None if any may be.

        Parameters
        ----------
        by_path, by_name
            The files by their comparable paths, and by their comparable names and stems.
        """
        if self._everything or self._starts:
            return None
        found = {by_path[path] for path in self._paths & by_path.keys()}
        return found.union(*(by_name[name] for name in (self._names | self._texts | self._stems) & by_name.keys()))

    @property
    def is_by_path(self) -> bool:
        """Whether more than the name of a file tells that it is used."""
        return self._everything or bool(self._paths)

    def named(self, names: Iterable[bytes]) -> set[bytes]:
        """Return those of some names that stand in a document."""
        return {name for name in set(names) if any(self._named(name))}

    def _named(self, name: bytes) -> tuple[bool, bool]:
        """Tell whether a name stands in a text, and whether a timeline gives it, or its stem, alone."""
        whole, stem = comparable(name), comparable(stem_of(name))
        return whole in self._texts, whole in self._names or stem in self._stems or self._is_cut(stem)

    def _is_cut(self, stem: str) -> bool:
        """Tell whether a reel is the beginning of a stem, with or without what is no letter or digit."""
        if not self._starts:
            return False
        plain = _plain(stem)
        return any(stem[:length] in self._starts or plain[:length] in self._starts for length in range(4, _REEL + 1))


def names_of(paths: Iterable[bytes]) -> "Names":
    """Return the names of files, to be looked for in texts."""
    return Names({comparable(name) for name in {path.rpartition(b"/")[2] for path in paths}})


class UsesOfAll:
    """Uses by anybody: the documents of all projects of the stock, and the catalogues that it remembers.

    A document or catalogue that cannot be read counts as using everything, and is noted in `problems`.

    Parameters
    ----------
    paths
        The files that are asked about later.
    """

    def __init__(self, stock: Stock, projects: ProjectFolders, paths: Iterable[bytes]) -> None:
        asked = set(paths)
        self._aliases = aliases(stock, projects, asked) if asked else {}
        also = (other for others in self._aliases.values() for other in others)
        self._said = Uses(projects.all_documents if asked else (), chain(asked, also))
        self.problems = self._said.problems
        self._catalogued: Collection[bytes] | None = ()
        try:
            self._catalogued = asked and frozenset(uses(stock, stock.catalogs.all()))
        except UnusableInput as error:
            self.problems.append(Problem(os.fsencode(stock.path), f"a catalogue may use anything: {error}"))
            self._catalogued = None

    def mention(self, path: bytes, source: bytes = b"") -> bool:
        """Tell whether a file is used; `source` as for `Uses.mention`."""
        if self._catalogued is None or self._said.mention(path, source):
            return True
        others = self._aliases.get(path, ())
        return path in self._catalogued or any(
            other in self._catalogued or self._said.mention(other) for other in others
        )

    def mentioned(self, paths: Collection[bytes]) -> set[bytes]:
        """Return those of many files that are used, as `mention` tells of each."""
        by_path = self._catalogued is None or self._catalogued or self._aliases or self._said.is_by_path
        if by_path:
            return {path for path in paths if self.mention(path)}
        names = self._said.named(path.rpartition(b"/")[2] for path in paths)
        return {path for path in paths if path.rpartition(b"/")[2] in names} if names else set()


def _plain(text: str) -> str:
    return "".join(mark for mark in comparable(os.fsencode(text)) if mark.isalnum())


def _name(path: bytes) -> str:
    return comparable(path.rpartition(b"/")[2])


def _stem(path: bytes) -> str:
    return comparable(stem_of(path.rpartition(b"/")[2]))


class Names:
    """Names that are looked for in texts, found by how they end: there are few endings, and many names."""

    def __init__(self, names: Iterable[str]) -> None:
        self._of_tail: dict[str, set[str]] = defaultdict(set)
        self._of_stem: dict[str, set[str]] = defaultdict(set)
        self._runs: dict[str, dict[str, set[str]]] = defaultdict(lambda: defaultdict(set))
        for name in names:
            self._of_tail[_tail(name)].add(name)
            stem = name.rpartition(".")[0]
            if len(stem) >= _SHORTEST_STEM and _WORD.fullmatch(stem) and any(map(str.isdigit, stem)):
                self._of_stem[stem].add(name)
            for number in islice(_NUMBER.finditer(name[::-1]), _MOST_NUMBERS):
                start, end = len(name) - number.end(), len(name) - number.start()
                self._runs[name[end:]][name[:start]].add(name)
        self._lengths = {tail: sorted({len(name) for name in found}) for tail, found in self._of_tail.items()}
        self._before_lengths = {after: sorted({len(each) for each in found}) for after, found in self._runs.items()}

    def within(self, text: str) -> set[str]:
        """Return the names that stand in a text: alone, without their suffix, or as one of a run of numbers."""
        found: set[str] = set()
        for tail, names in self._of_tail.items():
            is_run = tail in self._runs and kind_of(b"x" + os.fsencode(tail)) not in _PLAYED
            for end in _ends(text, tail):
                for length in self._lengths[tail]:
                    start = end - length
                    if start >= 0 and text[start:end] in names and _stands_alone(text, start, end):
                        found.add(text[start:end])
                if is_run and (number := _LAST_NUMBER.search(text, max(0, end - len(tail) - 20), end - len(tail))):
                    found |= self._run(text, number.start(), tail)  # one picture of a run may stand for all
        for mark in _NUMBERS.finditer(text):
            for after in self._runs:
                if text.startswith(after, mark.end()):
                    found |= self._run(text, mark.start(), after)
        for word in self._of_stem.keys() & {found[0] for found in _WORD.finditer(text)} if self._of_stem else ():
            found |= self._of_stem[word]
        return found

    def _run(self, text: str, end: int, after: str) -> set[str]:
        """Return the names that begin as a text does before a number, and end so after it."""
        befores = self._runs[after]
        found: set[str] = set()
        for length in self._before_lengths[after]:
            found |= befores.get(text[max(0, end - length) : end], set())
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
