"""Files that a program can make again, by evidence, and only while what they are made from is there."""

import os
import re
from collections import defaultdict
from collections.abc import Container, Iterable, Sequence
from dataclasses import dataclass, field

from foldkeep.model import (
    IN_PROJECT,
    Cookbook,
    Filter,
    Recipe,
    StockFile,
    UnusableInput,
    folders_above,
    stem_of,
    visible,
)
from foldkeep.scan import FILE, open_path
from foldkeep.stock import Stock

TAG = b"CACHEDIR.TAG"
_SIGNATURE = b"Signature: 8a477f597d28d172789f06886806bc55"  # Cache Directory Tagging Specification 0.6


@dataclass(frozen=True, slots=True)
class Regenerable:
    """A file that can be made again.

    Attributes
    ----------
    what
        What it is, in the words of the trade: ``proxy``, ``render``, …
    evidence
        Why it counts as such.
    source
        What it is made from, or the tag that says so of its whole folder; None if that is gone. Then this may be the
        last there is of it.
    project
        The folder of the project that it belongs to, or None.
    version
        Of the program that made it, where its path tells; else empty.
    """

    file: StockFile
    what: str
    evidence: str
    source: bytes | None
    project: bytes | None
    version: str = ""


@dataclass
class Caches:
    """What was found: files that can be made again, and such whose source is gone."""

    found: list[Regenerable] = field(default_factory=list)
    last: list[Regenerable] = field(default_factory=list)


def caches(stock: Stock, recipes: Sequence[Recipe], wanted: Filter | None = None, whats: Container[str] = ()) -> Caches:
    """Find files that can be made again: by a tag of their folder, or by a recipe whose source is there.

    Parameters
    ----------
    wanted
        Which of them are asked for; sources may be any file of the stock.
    whats
        What they are to be; all when empty.
    """
    found = _all_caches(stock, recipes, wanted or Filter())
    if whats:
        found.found = [each for each in found.found if each.what in whats]
        found.last = [each for each in found.last if each.what in whats]
    return found


def explain_cache(stock: Stock, recipes: Sequence[Recipe], name: str) -> str:
    """Return which recipe takes a file and why, or why none does.

    Raises UnusableInput if the stock does not know it.
    """
    path = os.path.realpath(os.fsencode(name))
    file = stock.listing.at(path)
    if file is None:
        raise UnusableInput(f"{visible(name)} is not in the stock", "scan the place that it lies in")
    found = _all_caches(stock, recipes, Filter(under=(os.path.dirname(path),)))
    each = next((each for each in (*found.found, *found.last) if each.file.path == path), None)
    if each is None:
        return f"{visible(path)}: no recipe takes {visible(below_place(file))}, and no folder above it has a tag"
    if each.source is None:
        recipe = next(recipe for recipe in recipes if each.evidence == _evidence(recipe))
        return f"{visible(path)}: {each.what} by {each.evidence}, but its source is gone: {_missing(file, recipe)}"
    return f"{visible(path)}: {each.what} by {each.evidence}; it can be made again from {visible(each.source)}"


def _all_caches(stock: Stock, recipes: Sequence[Recipe], wanted: Filter) -> Caches:
    files = list(stock.listing.files(Filter()))
    tagged = {folder for file in files if (folder := _tagged(file.path))}
    book = Cookbook(recipes)
    takes = wanted.takes if wanted else _any
    taken: list[tuple[StockFile, Recipe]] = []
    result = Caches()
    rest: list[StockFile] = []
    for file in files:
        folder = file.path.rpartition(b"/")[0]
        tag = next((each for each in (folder, *folders_above(folder)) if each in tagged), None) if tagged else None
        if tag is not None:
            if takes(file) and os.path.join(tag, TAG) != file.path:
                evidence = f"its folder has a {TAG.decode()}"
                result.found.append(Regenerable(file, "frame cache", evidence, os.path.join(tag, TAG), None))
        elif recipe := book.takes(below_place(file)):
            taken.append((file, recipe))
        else:
            rest.append(file)
    sources = _Sources(rest, taken)
    for file, recipe in taken:
        if takes(file):
            source = sources.of(file, recipe)
            found = Regenerable(
                file,
                recipe.what,
                _evidence(recipe),
                source,
                sources.project_of(file.path),
                _version(file, recipe),
            )
            (result.found if source else result.last).append(found)
    return result


def _any(_: StockFile) -> bool:
    return True


def _evidence(recipe: Recipe) -> str:
    return f"recipe {recipe.name}"


def _missing(file: StockFile, recipe: Recipe) -> str:
    if recipe.source == "project":
        return "no folder above it has the document of a project"
    stems = " or ".join(map(visible, _stems(file, recipe)))
    return f"no {' or '.join(recipe.kinds)} is called {stems} in {' or '.join(recipe.folders)}"


def below_place(file: StockFile) -> str:
    """Return the path of a file below its place, as recipes see it."""
    return os.fsdecode(file.path[len(file.place.path.rstrip(b"/")) + 1 :])


def _version(file: StockFile, recipe: Recipe) -> str:
    found = re.search(recipe.version, below_place(file), re.IGNORECASE) if recipe.version else None
    return found[1] or "" if found else ""


def _tagged(path: bytes) -> bytes:
    """Return the folder that a file tags as a cache, or nothing if it does not."""
    folder, _, name = path.rpartition(b"/")
    if name != TAG:
        return b""
    try:
        with open(open_path(path, FILE), "rb") as stream:
            return folder if stream.read(len(_SIGNATURE)) == _SIGNATURE else b""
    except OSError:
        return b""


class _Sources:
    """The files that others may be made from, by folder and stem, and the documents of projects.

    Parameters
    ----------
    files
        Those that no recipe takes.
    taken
        Those that one does; only what they may be made from is looked up.
    """

    def __init__(self, files: Iterable[StockFile], taken: Iterable[tuple[StockFile, Recipe]]) -> None:
        stems = {stem for file, recipe in taken if recipe.source == "stem" for stem in _stems(file, recipe)}
        self._documents: dict[bytes, bytes] = {}
        self._near: dict[tuple[bytes, str], list[StockFile]] = defaultdict(list)
        self._within: dict[tuple[bytes, str], list[StockFile]] = defaultdict(list)
        self._projects: dict[bytes, bytes | None] = {}
        files = list(files)
        for file in files:
            if file.kind == "project":
                self._documents.setdefault(file.path.rpartition(b"/")[0], file.path)
        for file in files:
            folder, _, name = file.path.rpartition(b"/")
            lower = os.fsdecode(name).lower()
            for stem in {lower, os.fsdecode(stem_of(name)).lower()} & stems:
                self._near[folder, stem].append(file)
                if project := self.project_of(file.path):
                    self._within[project, stem].append(file)

    def of(self, file: StockFile, recipe: Recipe) -> bytes | None:
        """Return what a file is made from; None if that is not there."""
        project = self.project_of(file.path)
        if recipe.source == "project":
            return self._documents[project] if project else None
        folder = file.path.rpartition(b"/")[0]
        near = [os.path.normpath(os.path.join(folder, os.fsencode(each))) for each in recipe.folders]
        for stem in _stems(file, recipe):
            found = [other for where in near for other in self._near.get((where, stem), ())]
            if project and IN_PROJECT in recipe.folders:
                found += self._within.get((project, stem), ())
            source = next((other for other in found if other.kind in recipe.kinds), None)
            if source:
                return source.path
        return None

    def project_of(self, path: bytes) -> bytes | None:
        """Return the outermost folder above a file that has the document of a project, or None."""
        folder = path.rpartition(b"/")[0]
        if folder not in self._projects:
            above = [each for each in (folder, *folders_above(folder)) if each in self._documents]
            self._projects[folder] = min(above, key=len, default=None)
        return self._projects[folder]


def _stems(file: StockFile, recipe: Recipe) -> list[str]:
    return recipe.stems(os.fsdecode(stem_of(file.path.rpartition(b"/")[2])))
