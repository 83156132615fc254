"""What files that can be made again are made from."""

import os
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from typing import NamedTuple
from urllib.parse import unquote

from foldkeep.formats.documents import records_of
from foldkeep.model import visible
from foldkeep.model.companions import stem_of
from foldkeep.model.names import folders_above
from foldkeep.model.recipes import IN_PROJECT, Recipe

from ..references.project_folders import ProjectFolders

_MOST_FOLDERS = 3
_WHERE = {".": "its own folder", "..": "the one above", IN_PROJECT: "anywhere in its project"}
Name = tuple[bytes, bytes, str]
"""A file by folder, name and kind."""


_Index = dict[tuple[bytes, str], list[tuple[str, bytes]]]
"""Kinds and paths of files, by folder or project and by stem in lower case."""

BY_NAME = ("stem", "folder", "manifest")
"""How a source is found that is media, not the document of a project."""


class Made(NamedTuple):
    """A file that a recipe takes, with the path of its place."""

    folder: bytes
    name: bytes
    place: bytes
    recipe: Recipe


class Sources:
    """The files that others may be made from, by folder and name, and the documents of projects.

    Parameters
    ----------
    files
        Those that no recipe takes.
    made
        Those that one does; only what they may be made from is remembered.
    manifests
        The paths of manifests by recipe and folder.
    """

    def __init__(
        self,
        files: Iterable[Name],
        made: Iterable[Made],
        projects: ProjectFolders,
        manifests: Mapping[tuple[str, bytes], Sequence[bytes]],
    ) -> None:
        self._projects = projects
        self._documents = projects.documents()
        self._manifests = manifests
        self._records: dict[bytes, dict[str, list[str]]] = {}
        self._near: _Index = defaultdict(list)
        self._within: _Index = defaultdict(list)
        self._places: dict[tuple[bytes, str], list[tuple[_Index, bytes]]] = {}
        self._paths: dict[bytes, str] = {}
        wanted = {stem for each in made for stem in _stems_anywhere(each)}
        by_manifest = any(recipe for recipe, _ in manifests)
        for folder, name, kind in files if wanted or by_manifest else ():
            lower = os.fsdecode(name).lower()
            path = os.path.join(folder, name)
            if by_manifest:
                self._paths[path] = kind
            for stem in {lower, os.fsdecode(stem_of(name)).lower()} & wanted:
                self._near[folder, stem].append((kind, path))
                if project := projects.of(folder):
                    self._within[project, stem].append((kind, path))

    def document(self, project: bytes | None) -> bytes | None:
        """Return the document of a project; None if there is none."""
        return next(iter(self._documents.get(project, ())), None) if project else None

    def of(self, made: Made) -> bytes | None:
        """Return what a file is made from, by its name or a manifest; None if that is not there."""
        recipe = made.recipe
        if recipe.source == "manifest":
            return self._by_manifest(made)
        for folder, stems in _stems(made):
            wheres = self._wheres(folder, recipe)
            for stem in stems:
                for index, where in wheres:
                    for kind, path in index.get((where, stem), ()):
                        if kind in recipe.kinds:
                            return path
        return None

    def _wheres(self, folder: bytes, recipe: Recipe) -> list[tuple[_Index, bytes]]:
        """Return where sources may lie, seen from a folder: in which index, and in which folder or project."""
        key = (folder, recipe.name)
        if key not in self._places:
            project = self._projects.of(folder)
            self._places[key] = [
                (self._near, os.path.normpath(os.path.join(folder, os.fsencode(where))))
                for where in recipe.folders
                if where != IN_PROJECT
            ]
            if IN_PROJECT in recipe.folders and project:
                self._places[key].append((self._within, project))
        return self._places[key]

    def _by_manifest(self, made: Made) -> bytes | None:
        for folder in (made.folder, *folders_above(made.folder)):
            for manifest in self._manifests.get((made.recipe.name, folder), ()):
                path = os.path.join(made.folder, made.name)
                for key in (os.fsdecode(os.path.relpath(path, folder)), os.fsdecode(made.name)):
                    for text in self._said_with(manifest).get(key, ()):
                        source = os.path.normpath(os.path.join(folder, os.fsencode(text)))
                        if self._paths.get(source) in made.recipe.kinds:
                            return source
            if folder == made.place:
                return None
        return None

    def _said_with(self, manifest: bytes) -> dict[str, list[str]]:
        """Return the other texts of the records that a text stands in; none if the manifest cannot be read."""
        if manifest not in self._records:
            found: dict[str, list[str]] = defaultdict(list)
            try:
                for record in records_of(manifest):
                    texts = [_as_path(text) for text in record]
                    for text in texts:
                        found[text.removeprefix("./")] += [other for other in texts if other != text]
            except (OSError, ValueError):
                found = defaultdict(list)
            self._records[manifest] = found
        return self._records[manifest]


def missing_source(made: Made) -> str:
    """Return what was looked for in vain, for a file without a source."""
    recipe = made.recipe
    if recipe.source == "project":
        return "no folder above it has the document of a project"
    if recipe.source == "manifest":
        return f"no manifest {visible(recipe.manifest)} in its folder or above names a file that is there beside it"
    stems = " or ".join(visible(stem) for _, stems in _stems(made) for stem in stems)
    where = (_WHERE.get(folder, visible(folder)) for folder in recipe.folders)
    return f"no {' or '.join(recipe.kinds)} is called {stems} in {' or '.join(where)}"


def _stems(made: Made) -> list[tuple[bytes, list[str]]]:
    """Return what a source may be called, and the folder from which it is looked for."""
    recipe = made.recipe
    if recipe.source == "stem":
        return [(made.folder, recipe.stems(os.fsdecode(stem_of(made.name))))]
    found: list[tuple[bytes, list[str]]] = []
    for folder in (made.folder, *folders_above(made.folder)):
        if folder == made.place or len(found) == _MOST_FOLDERS:
            break
        above, _, name = folder.rpartition(b"/")
        found.append((above or b"/", recipe.stems(os.fsdecode(name))))
    return found


def _stems_anywhere(made: Made) -> Iterable[str]:
    if made.recipe.source != "manifest":
        for _, stems in _stems(made):
            yield from stems


def _as_path(text: str) -> str:
    return unquote(text.removeprefix("file://"), errors="surrogateescape") if text.startswith("file://") else text
