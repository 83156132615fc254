"""Which folders are projects, and what lies in which."""

import os
from collections import defaultdict
from collections.abc import Iterable, Sequence
from fnmatch import fnmatch

from foldkeep.formats.packages import bagit
from foldkeep.model.names import folders_above
from foldkeep.stock import Stock


def package_folders(stock: Stock) -> frozenset[bytes]:
    """Return the folders that are packages (BagIt): what lies in them is neither a project nor a cache to be used."""
    return frozenset(path.rpartition(b"/")[0] or b"/" for path in stock.listing.paths_named(bagit.DECLARATION.encode()))


class ProjectFolders:
    """The folders of projects: the outermost that have a document of one, or lie in a folder that holds projects.

    The top of a place counts only if no folder below it is a project: one stray document there must not make a
    project of a whole library.

    Parameters
    ----------
    markers
        Globs for the names of further files that make a project of their folder.
    inside
        Absolute folders each of whose folders is a project.
    """

    def __init__(self, stock: Stock, markers: Sequence[str] = (), inside: Iterable[bytes] = ()) -> None:
        paths = stock.listing.paths_of_kind("project")
        if markers:
            paths += [path for path in stock.listing.paths() if _fits(path, markers)]
        self.packages = package_folders(stock)
        if self.packages:
            paths = [path for path in paths if self.packages.isdisjoint(folders_above(path))]
        self._inside = frozenset(inside)
        self._tops = {place.path for place in stock.places.all()}
        self._documents: dict[bytes, list[bytes]] = defaultdict(list)
        for path in dict.fromkeys(paths):
            self._documents[path.rpartition(b"/")[0] or b"/"].append(path)
        self._projects: dict[bytes, bytes | None] = {}
        self._bare_tops = {
            top
            for top in self._tops & self._documents.keys()
            if any(top in folders_above(folder) for folder in self._documents)
        }

    def of(self, folder: bytes) -> bytes | None:
        """Return the project that a folder is or lies in, or None."""
        if folder not in self._projects:
            steps = [folder, *folders_above(folder)]
            found = None
            for step in steps:
                is_held = os.path.dirname(step) in self._inside and step not in self._inside
                if step in self.packages:
                    found = None
                    break
                if is_held or (step in self._documents and step not in self._bare_tops):
                    found = step
                if step in self._tops:
                    break
            self._projects[folder] = found
        return self._projects[folder]

    @property
    def all_documents(self) -> list[bytes]:
        """The documents of all projects, and those that make no project of their folder but use files as well."""
        return sorted(path for paths in self._documents.values() for path in paths)

    @property
    def loose_documents(self) -> list[bytes]:
        """The documents that make no project of their folder, and lie in none."""
        return [path for path in self.all_documents if self.of(path.rpartition(b"/")[0] or b"/") is None]

    def documents(self) -> dict[bytes, list[bytes]]:
        """Return the documents of each project that has some, those of the project's own folder first."""
        found: dict[bytes, list[bytes]] = defaultdict(list)
        for folder in sorted(self._documents, key=lambda folder: (folder.count(b"/"), folder)):
            if (project := self.of(folder)) is not None:
                found[project] += sorted(self._documents[folder])
        return found


def _fits(path: bytes, globs: Sequence[str]) -> bool:
    name = os.fsdecode(path.rpartition(b"/")[2])
    return any(fnmatch(name, glob) for glob in globs)
