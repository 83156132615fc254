"""Which of the files that can be made again are asked for, and which of them are better left alone now."""

import os
from collections import defaultdict
from collections.abc import Container, Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from foldkeep.model import Filter, UnusableInput, visible
from foldkeep.model.grades import Grade
from foldkeep.model.kinds import kind_of
from foldkeep.model.recipes import Recipe
from foldkeep.scan import open_files, sign_of_work
from foldkeep.signals import Measures
from foldkeep.stock import Stock
from foldkeep.storage.local.drives import real_path

from ..references.project_folders import ProjectFolders
from ..references.project_references import UsesOfAll, unused
from .derivations import BY_NAME
from .derived_files import all_caches
from .found import Batch, Caches, LastUse, Regenerable

_USED = "a document or catalogue uses it"


@dataclass(frozen=True, slots=True)
class Wish:
    """Selection of derived files that is asked for.

    Attributes
    ----------
    wanted
        Its times are about the last use.
    whats, versions
        Alternatives; all when empty.
    projects
        Alternatives: names of the folders of projects, or their paths.
    but_newest_version
        Only what is of an older version than another of the same recipe and project.
    unused
        Only what no document of any project and no catalogue uses, nor what it is made from.
    cap
        How many bytes may be left over all; the least recently used go first.
    caps
        The same for single recipes, by name.
    """

    wanted: Filter = field(default_factory=Filter)
    whats: Container[str] = ()
    versions: Container[str] = ()
    projects: Sequence[str] = ()
    but_newest_version: bool = False
    unused: bool = False
    cap: int | None = None
    caps: Mapping[str, int] = field(default_factory=dict)


def caches(
    stock: Stock,
    recipes: Sequence[Recipe],
    wish: Wish | None = None,
    projects: ProjectFolders | None = None,
    user_cache: bytes = b"",
    measures: Measures | None = None,
) -> Caches:
    """Find the files that can be made again and are asked for, but leave alone what is in use.

    What the user alone vouches for is in use where any document mentions it; so is a measured film, which a timeline
    may play in the place of its source.

    Raises UnusableInput if a recipe or a project is named that is not there.
    """
    wish = wish or Wish()
    projects = projects or ProjectFolders(stock)
    strange = sorted(wish.caps.keys() - {recipe.name for recipe in recipes})
    if strange:
        raise UnusableInput(
            f"--cap names {visible(strange[0])}, which is no recipe",
            f"write one of {', '.join(recipe.name for recipe in recipes)}",
        )
    timeless = wish.wanted._replace(modified_before_ns=None, modified_after_ns=None)
    result = all_caches(stock, recipes, projects, timeless, user_cache, measures)
    documents = projects.documents()
    fits = _batches(result, wish, documents.keys())
    result.keep(lambda each: each.batch in fits)
    lasts, result.last = result.last, []
    if wish.wanted != timeless:
        result.keep(lambda each: _in_time(result.last_use.of(each), wish.wanted))
    if wish.but_newest_version:
        newest = _newest_versions(each for files in result.lists for each in files)
        result.keep(lambda each: _is_older(each.batch, newest))
    used = UsesOfAll(stock, projects, _asked(result, wish))
    result.problems = used.problems
    if wish.unused:
        result.keep(lambda each: unused(used, each.path, _sources(each)))
    busy = _Busy(documents, used, result)
    result.found, result.likely = busy.apart(result.found), busy.apart(result.likely)
    result.in_use, result.last = busy.in_use, lasts
    if wish.cap is not None or wish.caps:
        result.found = _beyond_caps(result, wish)
    return result


def _batches(result: Caches, wish: Wish, projects: Iterable[bytes]) -> set[Batch]:
    meant = None
    if wish.projects:
        meant = {each for each in projects if any(_is_called(each, name) for name in wish.projects)}
        if not meant:
            raise UnusableInput(
                f"no project is called {visible(wish.projects[0])}", "`foldkeep projects` lists those that there are"
            )
    batches = {each.batch for files in result.lists for each in files}
    return {
        batch
        for batch in batches
        if (not wish.whats or batch.what in wish.whats)
        and (not wish.versions or batch.version in wish.versions)
        and (meant is None or batch.project in meant)
    }


def _is_called(project: bytes, name: str) -> bool:
    return os.path.basename(project) == os.fsencode(name) or project == real_path(os.fsencode(name))


def _in_time(used_ns: int, wanted: Filter) -> bool:
    before, after = wanted.modified_before_ns, wanted.modified_after_ns
    return (before is None or used_ns < before) and (after is None or used_ns > after)


_Family = tuple[str, bytes | None, bytes]


def _newest_versions(files: Iterable[Regenerable]) -> dict[_Family, list[int]]:
    newest: dict[_Family, list[int]] = defaultdict(list)
    for batch in {each.batch for each in files if each.batch.version}:
        key = (batch.evidence, batch.project, batch.family)
        newest[key] = max(newest[key], _numbers(batch.version))
    return newest


def _is_older(batch: Batch, newest: Mapping[_Family, list[int]]) -> bool:
    return bool(batch.version) and _numbers(batch.version) < newest[batch.evidence, batch.project, batch.family]


def _numbers(version: str) -> list[int]:
    return [int(part) if part.isdecimal() else 0 for part in version.split(".")]


def _asked(found: Caches, wish: Wish) -> set[bytes]:
    """Return the paths of which it must be known whether anybody uses them."""
    if wish.unused:
        return {path for files in found.lists for each in files for path in (each.path, *_sources(each))}
    return {each.path for each in found.found if each.grade is Grade.TRUSTED or _is_measured_film(each)}


def _is_measured_film(each: Regenerable) -> bool:
    is_measured = each.grade is Grade.PROVED and each.batch.recipe is not None and each.batch.recipe.source == "stem"
    return is_measured and kind_of(each.path) == "video"


def _sources(each: Regenerable) -> list[bytes]:
    """Return what a file is made from, if that is media: a project that uses that may use the file in its place."""
    recipe = each.batch.recipe
    return [each.source] if each.source and recipe and recipe.source in BY_NAME else []


class _Busy:
    """Files that somebody works with, each with what shows that; of what may be anything, none is looked at.

    Parameters
    ----------
    documents
        Of each project.
    """

    def __init__(self, documents: Mapping[bytes, Sequence[bytes]], used: UsesOfAll, found: Caches) -> None:
        self._used = used
        batches = {each.batch for files in (found.found, found.likely) for each in files}
        projects = {batch.project for batch in batches}
        signs = {project: sign_of_work(paths) for project, paths in documents.items() if project in projects}
        self._of_batch = {batch: _sign_of(batch, signs) for batch in batches}
        self._opened = open_files() if batches else {}
        self.in_use: list[tuple[Regenerable, str]] = []

    def apart(self, files: list[Regenerable]) -> list[Regenerable]:
        """Return those of some files that nobody works with, and note the others."""
        opened, of_batch = self._opened, self._of_batch
        free: list[Regenerable] = []
        for each in files:
            sign = f"{opened[each.path]} has it open" if each.path in opened else of_batch[each.batch]
            if not sign and each.grade is not Grade.LIKELY and self._is_used(each):
                sign = _USED
            if sign:
                self.in_use.append((each, sign))
            else:
                free.append(each)
        return free

    def _is_used(self, each: Regenerable) -> bool:
        if each.grade is Grade.TRUSTED and self._used.mention(each.path, *_sources(each)):
            return True
        return _is_measured_film(each) and self._used.mention(each.path)


def _sign_of(batch: Batch, signs: Mapping[bytes, str]) -> str:
    """Return what shows that a project is worked on, if its files must be left alone then."""
    if batch.project is None or (batch.recipe and batch.recipe.cleared_in_use):
        return ""
    return signs.get(batch.project, "")


def _beyond_caps(result: Caches, wish: Wish) -> list[Regenerable]:
    """Return what has to go, the least recently used first, until what is left fits."""
    going: set[bytes] = set()
    of_recipe = {name: [each for each in result.found if _name_of(each) == name] for name in wish.caps}
    staying = [each for each, _ in result.in_use]
    for name, files in of_recipe.items():
        left = sum(each.size for each in (*files, *(each for each in staying if _name_of(each) == name)))
        going |= _least_used(files, left - wish.caps[name], result.last_use)
    if wish.cap is not None:
        files = [each for each in result.found if each.path not in going]
        left = sum(each.size for each in (*files, *staying))
        going |= _least_used(files, left - wish.cap, result.last_use)
    return [each for each in result.found if each.path in going]


def _name_of(each: Regenerable) -> str:
    return each.batch.recipe.name if each.batch.recipe else ""


def _least_used(files: Iterable[Regenerable], too_much: int, last_use: LastUse) -> set[bytes]:
    """Return the paths of the least recently used of some files that are together as large as asked for."""
    going: set[bytes] = set()
    for each in sorted(files, key=lambda each: (last_use.of(each), each.path)):
        if too_much <= 0:
            break
        going.add(each.path)
        too_much -= each.size
    return going
