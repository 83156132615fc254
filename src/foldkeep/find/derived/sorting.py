"""The stock, looked through once: which files recipes and tags take for derived ones, and what shows that."""

import os
import re
from collections import defaultdict
from collections.abc import Sequence
from fnmatch import fnmatch
from typing import NamedTuple

from foldkeep.formats.catalogs import read_thumbnail
from foldkeep.model import Filter, Place
from foldkeep.model.companions import stem_of
from foldkeep.model.grades import Grade
from foldkeep.model.kinds import OTHER, kind_of
from foldkeep.model.names import folders_above, lies_below
from foldkeep.model.recipes import CACHE, CACHE_TAG, Cookbook, Recipe
from foldkeep.model.work import told
from foldkeep.scan import shown_by
from foldkeep.scan.on_disk import is_cache_tag
from foldkeep.signals import MEDIA, Measures
from foldkeep.stock import Seen, Stock

from ..references.project_folders import ProjectFolders
from ..references.project_references import UsesOfAll
from .derivations import BY_NAME, Made, Name, Sources
from .finished import Candidate, finished_films, may_be_finished
from .found import Batch, Caches, Regenerable
from .grading import Vouching, grade_at_first, machine_made

_BY_NAME_ALONE = "nothing but its name and its folder's says so; --trust RECIPE takes them for proof"
_BY_WORD = "you trust the recipe"
_LIKELY = "a machine's name in a cache's folder, and no document mentions it"
_LAST = (Grade.PERHAPS, "")
_MISSING = {Grade.PERHAPS: _BY_NAME_ALONE, Grade.TRUSTED: _BY_WORD}
BY_HAND = frozenset(("sidecar", "project", "catalog"))  # what people say and make; no recipe takes it
_Row = tuple[bytes, str, int, int, int]
_Taken = tuple[bytes, str, int, int]


class _Folder(NamedTuple):
    """Files that recipes take in a folder: names, kinds, sizes and times by recipe.

    `below` is its path below its place; `opaque` has the names in it, if nearly all are such as machines give.
    """

    path: bytes
    place: Place
    below: str
    opaque: frozenset[bytes]
    taken: dict[str, tuple[Recipe, list[_Taken]]]


class Sorting:
    """Files of the stock that recipes and tags take, what they may be made from, and how far that is shown."""

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
        self._tagged = {os.path.dirname(path) for path in stock.listing.paths_named(CACHE_TAG) if is_cache_tag(path)}
        self._rest: list[Name] = []
        self._folders: list[_Folder] = []
        self._manifests: dict[tuple[str, bytes], list[bytes]] = defaultdict(list)
        self._graded: list[Regenerable] = []
        self._to_measure: list[int] = []
        self._opaque: list[int] = []
        self._first_grades: dict[tuple[str, str, str], tuple[Grade | None, str]] = {}
        self._perhaps_finished: list[tuple[Regenerable, str]] = []
        self._result = Caches()

    def look(self, wanted: Filter) -> None:
        """Sort every file of the stock; what fits `wanted` is remembered, and all that others may be made from."""
        places = {place.id: place for place in self._stock.places.all()}
        packages = self._projects.packages
        listing = self._stock.listing
        folders = told(
            listing.by_folder(wanted),
            "Looking for derived files",
            listing.count_folders(),
            "folders",
            self._measures.progress,
        )
        for path, place, rows in folders:
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
            opaque = frozenset[bytes]() if of_all is None else machine_made([name for name, *_ in rows])
            folder = _Folder(path, here, below, opaque, {})
            self._take_some(folder, rows)
            if folder.taken:
                self._folders.append(folder)

    def _vouched(self, folder: bytes) -> tuple[bytes, Batch] | None:
        """Return what says of a whole folder that it can be made again."""
        if self._tagged:
            for each in (folder, *folders_above(folder)):
                if each in self._tagged:
                    evidence = f"its folder has a {CACHE_TAG.decode()}"
                    return os.path.join(each, CACHE_TAG), Batch(CACHE, evidence, self._projects.of(folder))
        cache = self._user_cache
        if cache and (folder == cache or lies_below(folder, cache)):
            family, version = _version_of(folder[len(cache) + 1 :])
            return cache, Batch(CACHE, "it lies in the user's cache folder", version=version, family=family)
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
        shelf = self._book.of(folder.below)
        takes, of_all = shelf.takes, shelf.of_all
        if of_all and not of_all.manifest and not shelf.takes_by_name([name for name, *_ in rows]):
            files = [(name, kind, size, modified_ns) for name, kind, size, modified_ns, fits in rows
                     if fits and kind not in BY_HAND]  # fmt: skip
            if files:
                taken[of_all.name] = (of_all, files)
            self._rest += [(path, name, kind) for name, kind, *_ in rows if kind in BY_HAND]
            return
        if of_all is None and not shelf.takes_by_name([name for name, *_ in rows]):
            self._rest += [(path, name, kind) for name, kind, *_ in rows]
            return
        for name, kind, size, modified_ns, fits in rows:
            recipe = None if kind in BY_HAND else takes(name)
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
        self._measure(finished)
        self._grade_opaque()
        found = self._result
        lists = {
            Grade.PROVED: found.found, Grade.TRUSTED: found.found,
            Grade.LIKELY: found.likely, Grade.PERHAPS: found.perhaps,
        }  # fmt: skip
        for each in self._graded:
            if each.path not in finished:
                lists[each.grade].append(each)
        return self._result

    def _note_some(self, folder: _Folder, recipe: Recipe, files: Sequence[_Taken], sources: Sources) -> None:
        path, place = folder.path, folder.place
        batches: dict[str, Batch] = {}
        project = self._projects.of(path)
        of_all = recipe.version_in(folder.below)
        source = sources.document(project) if recipe.source == "project" else None
        of_folder = self._book.of(folder.below).of_all
        perhaps_finished = may_be_finished(os.path.join(path, b"a film.mp4"), "video", project)
        graded, opaque = self._graded, folder.opaque
        if (
            recipe.source == "project"
            and source is not None
            and not perhaps_finished
            and (of_all or not recipe.version)
        ):
            batch = Batch(recipe.what, recipe.evidence, project, of_all, recipe)
            self._note_alike(folder, files, recipe, batch, source)
            return
        for name, kind, size, modified_ns in files:
            version = of_all or (recipe.version_in(os.fsdecode(name)) if recipe.version else "")
            if version not in batches:
                batches[version] = Batch(recipe.what, recipe.evidence, project, version, recipe)
            if recipe.source != "project":
                source = sources.of(Made(path, name, place.path, recipe))
            if recipe is not of_folder and recipe.says_nothing(
                os.fsdecode(stem_of(name)), kind, has_source=source is not None
            ):
                continue
            grade, missing = self._grade_at_first(recipe, kind, source)
            if grade is Grade.PERHAPS and kind == OTHER and name in opaque and source is not None:
                grade, missing = Grade.LIKELY, _LIKELY  # until a document mentions it
                self._opaque.append(len(graded))
            elif grade is None:
                self._to_measure.append(len(graded))
            each = Regenerable(path + b"/" + name, size, modified_ns, place, batches[version], source,
                               grade or Grade.PERHAPS, missing)  # fmt: skip
            if perhaps_finished and may_be_finished(each.path, kind, project):
                self._perhaps_finished.append((each, kind))
            (self._result.last if source is None else graded).append(each)

    def _note_alike(
        self, folder: _Folder, files: Sequence[_Taken], recipe: Recipe, batch: Batch, source: bytes
    ) -> None:
        """Note files of which all but name, size and time is alike, as those of most caches: there are very many."""
        graded, opaque, here, place = self._graded, folder.opaque, folder.path + b"/", folder.place
        grades = {kind: self._grade_at_first(recipe, kind, source) for kind in {kind for _, kind, *_ in files}}
        likely = (Grade.LIKELY, _LIKELY) if grades.get(OTHER, _LAST)[0] is Grade.PERHAPS and opaque else None
        new, first = tuple.__new__, len(graded)  # in half the time of the class's own
        for name, kind, size, modified_ns in files:
            grade, missing = likely if likely and kind == OTHER and name in opaque else grades[kind]
            each = (here + name, size, modified_ns, place, batch, source, grade or Grade.PERHAPS, missing)
            graded.append(new(Regenerable, each))
        self._opaque += [at for at in range(first, len(graded)) if graded[at].grade is Grade.LIKELY]
        if None in (grade for grade, _ in grades.values()):
            kinds = [kind for _, kind, *_ in files]
            self._to_measure += [first + at for at, kind in enumerate(kinds) if grades[kind][0] is None]

    def _grade_at_first(self, recipe: Recipe, kind: str, source: bytes | None) -> tuple[Grade | None, str]:
        """Return the grade that a recipe alone gives, None if it takes measuring, and what is missing for proof."""
        if source is None:
            return _LAST
        key = (recipe.name, kind, "" if recipe.source == "project" else kind_of(source.rpartition(b"/")[2]))
        if key not in self._first_grades:
            grade = grade_at_first(recipe, kind, key[2])
            self._first_grades[key] = (grade, _MISSING.get(grade, "")) if grade else (None, "")
        return self._first_grades[key]

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

    def _measure(self, finished: set[bytes]) -> None:
        """Grade pictures and films by what the measures of them and their sources say."""
        pairs = defaultdict[str, dict[int, tuple[Seen, Seen]]](dict)
        sources = self._stock.listing.at_all({self._graded[at].source or b"" for at in self._to_measure})
        for at in self._to_measure:
            each = self._graded[at]
            source = sources.get(each.source or b"")
            if source is not None and each.path not in finished:
                made = (each.path, each.size, each.modified_ns)
                pairs[source.kind][at] = (made, (source.path, source.size, source.modified_ns))
        for kind, of_kind in pairs.items():
            differences = self._measures.differences(of_kind.values(), kind)
            for at, pair in of_kind.items():
                why = differences[pair]
                grade = Grade.PERHAPS if why else Grade.PROVED
                self._graded[at] = self._graded[at]._replace(grade=grade, missing=why)

    def _grade_opaque(self) -> None:
        """Take opaque files for no more than perhaps derived where nothing vouches for their project, or uses them."""
        if not self._opaque:
            return
        media = [os.path.join(folder, name) for folder, name, kind in self._rest if kind in MEDIA]
        vouching = Vouching(self._projects, [place.path for place in self._stock.places.all()], media)
        graded = self._graded
        projects = {project: vouching.vouches(project) for project in {graded[at].batch.project for at in self._opaque}}
        asked = [graded[at].path for at in self._opaque if projects[graded[at].batch.project]]
        used = UsesOfAll(self._stock, self._projects, asked).mentioned(asked)
        for at in self._opaque:
            if not projects[graded[at].batch.project] or graded[at].path in used:
                graded[at] = graded[at]._replace(grade=Grade.PERHAPS, missing=_BY_NAME_ALONE)


def _shown(path: bytes) -> bytes | None:
    said = read_thumbnail(path)
    return shown_by(said.uri, path) if said else None


# Digits alone name parts of a cache as often as versions: 00, 01, 02…
_VERSION = re.compile(
    rb"(.*?)(?:(?<![0-9.])v?([0-9]+(?:\.[0-9]+)+)|(?<![0-9A-Za-z])v([0-9]+))(?![0-9A-Za-z.])(.*)", re.DOTALL
)


def _version_of(below: bytes) -> tuple[bytes, str]:
    """Return the first folder whose name has a version, with a mark in its place, and the version; else nothing."""
    steps = below.split(b"/")
    for at, step in enumerate(steps):
        if found := _VERSION.fullmatch(step):
            before, dotted, plain, after = found.groups()
            family = b"/".join((*steps[:at], before + b"\0" + after))
            return family, (dotted or plain).decode()
    return b"", ""
