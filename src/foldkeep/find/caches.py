"""Files that a program can make again, by evidence, and only while what they are made from is there."""

import os
import re
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from fnmatch import fnmatch
from typing import NamedTuple

from foldkeep.formats import read_thumbnail
from foldkeep.model import (
    CACHE,
    OTHER,
    Cookbook,
    Filter,
    Grade,
    Place,
    Problem,
    Recipe,
    UnusableInput,
    folders_above,
    kind_of,
    lies_below,
    stem_of,
    visible,
)
from foldkeep.scan import MEDIA
from foldkeep.stock import Stock
from foldkeep.storage.local import FILE, clamped_ns, facts_at, open_path

from .derived import (
    Candidate,
    Measures,
    Vouching,
    are_machine_made,
    finished_films,
    grade_at_first,
    is_machine_made,
    may_be_finished,
)
from .mentioned import UsesOfAll
from .project_folders import ProjectFolders
from .sources import BY_NAME, Made, Name, Sources, missing_source
from .thumbnails import shown_by

TAG = b"CACHEDIR.TAG"
_SIGNATURE = b"Signature: 8a477f597d28d172789f06886806bc55"  # Cache Directory Tagging Specification 0.6
_BY_NAME_ALONE = "nothing but its name and its folder's says so; --trust RECIPE takes them for proof"
_BY_WORD = "you trust the recipe"
_LIKELY = "a machine's name in a cache's folder, and no document mentions it"
_BY_HAND = frozenset(("sidecar", "project", "catalog"))  # what people say and make; no recipe takes it
_Row = tuple[bytes, str, int, int, int]
_Taken = tuple[bytes, str, int, int]


@dataclass(frozen=True, slots=True, eq=False)
class Batch:
    """What files that can be made again have in common.

    Attributes
    ----------
    what
        What they are, in the words of the trade: ``proxy``, ``render``, …
    evidence
        Why they count as such.
    project
        The folder of the project that they belong to, or None.
    version
        Of the program that made them, where their paths tell; else empty.
    recipe
        The one that takes them, or None.
    """

    what: str
    evidence: str
    project: bytes | None = None
    version: str = ""
    recipe: Recipe | None = None


class Regenerable(NamedTuple):
    """A file that can be made again; a tuple, since there are hundreds of thousands.

    Attributes
    ----------
    source
        What it is made from, or what says so of its whole folder: a tag, or the user's cache folder. None if that is
        gone: then this may be the last there is of it.
    grade
        How far that is shown.
    missing
        What would have to be so for it to be proved; empty if it is.
    """

    path: bytes
    size: int
    modified_ns: int
    place: Place
    batch: Batch
    source: bytes | None
    grade: Grade = Grade.PROVED
    missing: str = ""


class LastUse:
    """Tells when files were last read or written, as far as their file systems note that.

    The system is asked only for what is asked here, and once: for hundreds of thousands of files that takes seconds.
    """

    def __init__(self) -> None:
        self._known: dict[bytes, int] = {}

    def of(self, each: Regenerable) -> int:
        """Return nanoseconds since the epoch; of what cannot be looked at now when the scan saw it written."""
        used_ns = self._known.get(each.path)
        if used_ns is None:
            try:
                facts = facts_at(each.path)
                used_ns = clamped_ns(max(facts.st_atime_ns, facts.st_mtime_ns))
            except OSError:  # on a drive that is away; or gone, which is seen when it is to be folded
                used_ns = each.modified_ns
            self._known[each.path] = used_ns
        return used_ns

    def latest(self, files: Iterable[Regenerable]) -> int:
        """Return when the last one of several was used."""
        return max(map(self.of, files))


@dataclass
class Caches:
    """What was found.

    Attributes
    ----------
    found
        Files that can be made again: that is proved, or the user trusts the recipe.
    likely
        Opaque files of caches of which nothing else is known.
    perhaps
        Files that a name alone, or that of a folder, takes for such: they may be anything.
    finished
        Finished films and mixes that recipes would take.
    last
        Such whose source is gone.
    in_use
        Those left alone because somebody works with them, each with how that was seen.
    problems
        Documents of projects that could not be read, so that all in their projects counts as used.
    last_use
        Tells when each was last used.
    """

    found: list[Regenerable] = field(default_factory=list)
    likely: list[Regenerable] = field(default_factory=list)
    perhaps: list[Regenerable] = field(default_factory=list)
    finished: list[Regenerable] = field(default_factory=list)
    last: list[Regenerable] = field(default_factory=list)
    in_use: list[tuple[Regenerable, str]] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)
    last_use: LastUse = field(default_factory=LastUse)

    @property
    def lists(self) -> tuple[list[Regenerable], ...]:
        """All files by how far it is shown that they can be made again; those whose source is gone last."""
        return self.found, self.likely, self.perhaps, self.last


def all_caches(
    stock: Stock,
    recipes: Sequence[Recipe],
    projects: ProjectFolders,
    wanted: Filter,
    user_cache: bytes = b"",
    measures: Measures | None = None,
) -> Caches:
    """Find files that can be made again: by a tag, a recipe, or the user's cache folder.

    Finished films and mixes are none of them, whatever takes them.

    Parameters
    ----------
    wanted
        Which of them are asked for; sources may be any file of the stock.
    user_cache
        The user's folder for caches (XDG_CACHE_HOME); empty not to count it as evidence.
    measures
        Measures files and their sources where that is needed; those that the stock remembers are believed if None.
    """
    seen = _Seen(stock, recipes, projects, measures or Measures(stock), user_cache)
    seen.look(wanted)
    return seen.caches()


def explain_cache(
    stock: Stock, recipes: Sequence[Recipe], projects: ProjectFolders, name: str, user_cache: bytes = b""
) -> str:
    """Return which recipe takes a file and why, or why none does.

    Raises UnusableInput if the stock does not know it.
    """
    path = os.path.realpath(os.fsencode(name))
    file = stock.listing.at(path)
    if file is None:
        raise UnusableInput(f"{visible(name)} is not in the stock", "scan the place that it lies in")
    folder, _, last = path.rpartition(b"/")
    found = all_caches(stock, recipes, projects, Filter(under=(folder,)), user_cache)
    each = next((each for files in found.lists for each in files if each.path == path), None)
    if each is None and file.kind in _BY_HAND:
        return f"{visible(path)}: no recipe takes a {file.kind}, since no program makes one again"
    if any(each.path == path for each in found.finished):
        return f"{visible(path)}: a finished film or mix by its name, its folder and its length, so it is no cache"
    if each is None:
        below = path[len(file.place.path.rstrip(b"/")) + 1 :]
        return f"{visible(path)}: no recipe takes {visible(below)}, and no folder above it has a tag"
    if each.source is not None and each.batch.recipe is None:
        return f"{visible(path)}: {each.batch.what}, since {each.batch.evidence}: {visible(each.source)}"
    if each.source is not None:
        may = "can" if each.grade.may_go else "can perhaps"
        missing = f"; {each.grade}: {each.missing}" if each.missing else ""
        return (
            f"{visible(path)}: {each.batch.what} by {each.batch.evidence}; "
            f"it {may} be made again from {visible(each.source)}{missing}"
        )
    why = "what it shows is not there"
    if each.batch.recipe:
        why = missing_source(Made(folder, last, file.place.path, each.batch.recipe))
    return f"{visible(path)}: {each.batch.what} by {each.batch.evidence}, but its source is gone: {why}"


class _Folder(NamedTuple):
    """What recipes take in a folder: names, kinds, sizes and times by recipe.

    `below` is its path below its place; `is_opaque` tells whether nearly all in it is called as machines call files.
    """

    path: bytes
    place: Place
    below: str
    is_opaque: bool
    taken: dict[str, tuple[Recipe, list[_Taken]]]


class _Seen:
    """The stock, looked through once: what recipes and tags take, and what that may be made from."""

    def __init__(
        self,
        stock: Stock,
        recipes: Sequence[Recipe],
        projects: ProjectFolders,
        measures: Measures,
        user_cache: bytes = b"",
    ) -> None:
        self._stock = stock
        self._measures = measures
        self._book = Cookbook(recipes)
        self._projects = projects
        self._user_cache = user_cache
        self._tagged = {folder for path in stock.listing.paths_named(TAG) if (folder := _tagged(path))}
        self._rest: list[Name] = []
        self._folders: list[_Folder] = []
        self._manifests: dict[tuple[str, bytes], list[bytes]] = defaultdict(list)
        self._graded: list[Regenerable] = []
        self._to_measure: list[int] = []
        self._opaque: list[int] = []
        self._perhaps_finished: list[tuple[Regenerable, str]] = []
        self._result = Caches()

    def look(self, wanted: Filter) -> None:
        """Sort every file of the stock; what fits `wanted` is remembered, and all that others may be made from."""
        places = {place.id: place for place in self._stock.places.all()}
        packages = self._projects.packages
        for path, place, rows in self._stock.listing.by_folder(wanted):
            here = places[place]
            if packages and not packages.isdisjoint((path, *folders_above(path))):
                continue
            vouched = self._vouched(path)
            if vouched:
                self._take_all(path, here, vouched, rows)
                continue
            below = os.fsdecode(path[len(here.path.rstrip(b"/")) + 1 :])
            below = f"{below}/" if below else ""
            of_all = self._book.of(below).of_all
            is_opaque = of_all is not None and are_machine_made([name for name, *_ in rows])
            folder = _Folder(path, here, below, is_opaque, {})
            self._take_some(folder, rows)
            if folder.taken:
                self._folders.append(folder)

    def _vouched(self, folder: bytes) -> tuple[bytes, Batch] | None:
        """Return what says of a whole folder that it can be made again."""
        if self._tagged:
            for each in (folder, *folders_above(folder)):
                if each in self._tagged:
                    evidence = f"its folder has a {TAG.decode()}"
                    return os.path.join(each, TAG), Batch(CACHE, evidence, self._projects.of(folder))
        cache = self._user_cache
        if cache and (folder == cache or lies_below(folder, cache)):
            return cache, Batch(CACHE, "it lies in the user's cache folder")
        return None

    def _take_all(self, folder: bytes, place: Place, vouched: tuple[bytes, Batch], rows: Sequence[_Row]) -> None:
        source, batch = vouched
        files = [(name, size, modified_ns) for name, _, size, modified_ns, fits in rows if fits]
        thumbnails = os.path.join(self._user_cache, b"thumbnails") if self._user_cache else b""
        shown = {}
        if thumbnails and lies_below(folder, thumbnails):
            shown = {name: path for name, *_ in files if (path := _shown(folder + b"/" + name)) is not None}
        desktops = Batch("thumbnail", "it is a thumbnail of the desktop")
        for name, size, modified_ns in files:
            path = folder + b"/" + name
            if name in shown:
                there = shown[name] if os.path.lexists(shown[name]) else None
                into = self._result.found if there else self._result.last
                into.append(Regenerable(path, size, modified_ns, place, desktops, there))
            elif path != source:
                self._result.found.append(Regenerable(path, size, modified_ns, place, batch, source))

    def _take_some(self, folder: _Folder, rows: Sequence[_Row]) -> None:
        path, taken = folder.path, folder.taken
        takes = self._book.of(folder.below).takes
        for name, kind, size, modified_ns, fits in rows:
            recipe = None if kind in _BY_HAND else takes(name)
            if recipe is None:
                self._rest.append((path, name, kind))
            elif recipe.manifest and fnmatch(os.fsdecode(name), recipe.manifest):
                self._manifests[recipe.name, path].append(path + b"/" + name)
            elif fits:
                if recipe.name not in taken:
                    taken[recipe.name] = (recipe, [])
                taken[recipe.name][1].append((name, kind, size, modified_ns))

    def caches(self) -> Caches:
        """Return what was found, with the source of each."""
        made = (
            Made(folder.path, name, folder.place.path, recipe)
            for folder in self._folders
            for recipe, files in folder.taken.values()
            if recipe.source in BY_NAME
            for name, *_ in files
        )
        sources = Sources(self._rest, made, self._projects, self._manifests)
        for folder in self._folders:
            for recipe, files in folder.taken.values():
                self._note_some(folder, recipe, files, sources)
        finished = self._apart_finished()
        self._measure()
        self._grade_opaque()
        for each in self._graded:
            if each.path in finished:
                continue
            into = self._result.found if each.grade.may_go else self._result.perhaps
            (self._result.likely if each.grade is Grade.LIKELY else into).append(each)
        return self._result

    def _note_some(self, folder: _Folder, recipe: Recipe, files: Sequence[_Taken], sources: Sources) -> None:
        path, place = folder.path, folder.place
        batches: dict[str, Batch] = {}
        project = self._projects.of(path)
        pattern = re.compile(recipe.version, re.IGNORECASE) if recipe.version else None
        of_all = _version(pattern, folder.below)
        source = sources.document(project) if recipe.source == "project" else None
        for name, kind, size, modified_ns in files:
            version = of_all or (pattern and _version(pattern, folder.below + os.fsdecode(name))) or ""
            if version not in batches:
                batches[version] = Batch(recipe.what, recipe.evidence, project, version, recipe)
            if recipe.source != "project":
                source = sources.of(Made(path, name, place.path, recipe))
            each = Regenerable(path + b"/" + name, size, modified_ns, place, batches[version], source)
            if may_be_finished(each.path, kind, project):
                self._perhaps_finished.append((each, kind))
            if source is None:
                self._result.last.append(each)
            else:
                self._grade_at_first(each, recipe, kind, is_opaque=folder.is_opaque and kind == OTHER)

    def _grade_at_first(self, each: Regenerable, recipe: Recipe, kind: str, *, is_opaque: bool) -> None:
        grade = grade_at_first(recipe, kind, kind_of(os.path.basename(each.source or b"")))
        if grade is None:
            self._to_measure.append(len(self._graded))
        elif grade is Grade.PERHAPS and is_opaque and is_machine_made(stem_of(os.path.basename(each.path))):
            self._opaque.append(len(self._graded))
        missing = _BY_NAME_ALONE if grade is Grade.PERHAPS else _BY_WORD if grade is Grade.TRUSTED else ""
        self._graded.append(each._replace(grade=grade or Grade.PERHAPS, missing=missing))

    def _apart_finished(self) -> set[bytes]:
        """Return the paths of finished films and mixes, whatever takes them, and whatever they were made from."""
        documents = self._projects.documents()
        candidates = (
            Candidate((each.path, each.size, each.modified_ns), kind, documents.get(each.batch.project or b"", ()))
            for each, kind in self._perhaps_finished
        )
        finished = finished_films(candidates, self._measures)
        self._result.finished = [each for each, _ in self._perhaps_finished if each.path in finished]
        self._result.last = [each for each in self._result.last if each.path not in finished]
        return finished

    def _measure(self) -> None:
        """Grade pictures by what the measures of them and their sources say."""
        pairs = {}
        for at in self._to_measure:
            each = self._graded[at]
            source = self._stock.listing.at(each.source) if each.source else None
            if source is not None:
                made = (each.path, each.size, each.modified_ns)
                pairs[at] = (made, (source.path, source.size, source.modified_ns))
        differences = self._measures.differences(pairs.values())
        for at, pair in pairs.items():
            why = differences[pair]
            grade = Grade.PERHAPS if why else Grade.PROVED
            self._graded[at] = self._graded[at]._replace(grade=grade, missing=why)

    def _grade_opaque(self) -> None:
        """Grade the opaque files of caches that no document mentions as likely."""
        if not self._opaque:
            return
        media = [os.path.join(folder, name) for folder, name, kind in self._rest if kind in MEDIA]
        vouching = Vouching(self._projects, [place.path for place in self._stock.places.all()], media)
        vouched = [at for at in self._opaque if vouching.vouches(self._graded[at].batch.project)]
        used = UsesOfAll(self._stock, self._projects, (self._graded[at].path for at in vouched)) if vouched else None
        for at in vouched:
            if used and not used.mention(self._graded[at].path):
                self._graded[at] = self._graded[at]._replace(grade=Grade.LIKELY, missing=_LIKELY)


def _version(pattern: re.Pattern[str] | None, path: str) -> str:
    found = pattern.search(path) if pattern else None
    return (found[1] or "") if found else ""


def _shown(path: bytes) -> bytes | None:
    said = read_thumbnail(path)
    return shown_by(said.uri, path) if said else None


def _tagged(path: bytes) -> bytes:
    """Return the folder that a file tags as a cache, or nothing if it does not."""
    try:
        with open(open_path(path, FILE), "rb") as stream:
            return path.rpartition(b"/")[0] if stream.read(len(_SIGNATURE)) == _SIGNATURE else b""
    except OSError:
        return b""
