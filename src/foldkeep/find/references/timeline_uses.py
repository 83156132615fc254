"""What the documents of projects use: each file by the document, and whether that looks for it just where it lies."""

import os
from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence

from foldkeep.model import Problem, Progress, no_progress
from foldkeep.model.companions import stem_of
from foldkeep.model.names import lies_below
from foldkeep.model.work import told
from foldkeep.stock import Stock

from ..catalogs.catalog_files import comparable
from .aliases import aliases
from .project_folders import ProjectFolders
from .project_references import Uses, names_of


class TimelineUses:
    """Files that documents use.

    A document that cannot be read may use anything; what lies in its project then counts as used.

    Parameters
    ----------
    paths
        The files that are asked about.

    Attributes
    ----------
    there
        For each file that a document looks for just where it lies, that document. Where a document has only a name,
        the file of that name in its own project is meant.
    by_name
        For other files, the documents that have their names.
    problems
        Documents that cannot be read.
    """

    def __init__(
        self, stock: Stock, projects: ProjectFolders, paths: Iterable[bytes], progress: Progress = no_progress
    ) -> None:
        self.there: dict[bytes, bytes] = {}
        self.by_name: dict[bytes, set[bytes]] = defaultdict(set)
        self.problems: list[Problem] = []
        documents = projects.all_documents
        asked = set(paths) if documents else set()
        if not asked:
            return
        others = aliases(stock, projects, asked)
        seen = asked.union(*others.values())
        everybody = Uses(documents, seen)
        self.problems = everybody.problems
        unread = {problem.path for problem in self.problems}
        readable = [document for document in documents if document not in unread]
        if unread:
            everybody = Uses(readable, seen)
        mentioned = {path for path in asked if any(map(everybody.mention, (path, *others.get(path, ()))))}
        known = _Known(mentioned, others)
        for document in told(readable, "Reading the documents of projects", len(readable), "documents", progress):
            self._note(document, projects, known)
        for document in sorted(unread):
            home = _home(document, projects)
            for path in asked:
                if lies_below(path, home):
                    self.there.setdefault(path, document)

    def _note(self, document: bytes, projects: ProjectFolders, known: "_Known") -> None:
        uses = Uses([document], known.names, keeps_texts=True)
        found = {path for path in known.perhaps(uses) if any(map(uses.mention, known.spellings(path)))}
        exact = {path for path in found if any(map(uses.mention_there, known.spellings(path)))}
        home = _home(document, projects)
        named_there = {os.path.basename(path) for path in exact}
        at_home = {
            path for path in found - exact if lies_below(path, home) and os.path.basename(path) not in named_there
        }
        for path in exact | at_home:
            self.there.setdefault(path, document)
        settled = named_there | {os.path.basename(path) for path in at_home}
        for path in found - exact - at_home:
            if os.path.basename(path) not in settled:
                self.by_name[path].add(document)


class _Known:
    """Files that some document mentions, found by their paths and names, those of their links included."""

    def __init__(self, paths: Collection[bytes], others: Mapping[bytes, Sequence[bytes]]) -> None:
        self._paths = paths
        self._others = others
        self._by_path: dict[str, bytes] = {}
        self._by_name: dict[str, list[bytes]] = defaultdict(list)
        for path in paths:
            for spelling in self.spellings(path):
                self._by_path[comparable(spelling)] = path
                name = os.path.basename(spelling)
                for word in {comparable(name), comparable(stem_of(name))}:
                    self._by_name[word].append(path)
        self.names = names_of(spelling for path in paths for spelling in self.spellings(path))

    def spellings(self, path: bytes) -> tuple[bytes, ...]:
        """Return the paths by which a file may be meant."""
        return (path, *self._others.get(path, ()))

    def perhaps(self, uses: Uses) -> Collection[bytes]:
        """Return the files that a document may use."""
        found = uses.perhaps(self._by_path, self._by_name)
        return self._paths if found is None else found


def _home(document: bytes, projects: ProjectFolders) -> bytes:
    folder = os.path.dirname(document)
    return projects.of(folder) or folder
