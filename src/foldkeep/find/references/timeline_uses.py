"""What the documents of projects use: each file by the document, and whether that looks for it just where it lies."""

import os
from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence

from foldkeep.model import Problem
from foldkeep.model.names import lies_below
from foldkeep.stock import Stock

from .aliases import aliases
from .project_folders import ProjectFolders
from .project_references import Uses


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

    def __init__(self, stock: Stock, projects: ProjectFolders, paths: Iterable[bytes]) -> None:
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
        for document in readable:
            self._note(document, projects, mentioned, others)
        for document in sorted(unread):
            home = _home(document, projects)
            for path in asked:
                if lies_below(path, home):
                    self.there.setdefault(path, document)

    def _note(
        self,
        document: bytes,
        projects: ProjectFolders,
        paths: Collection[bytes],
        others: Mapping[bytes, Sequence[bytes]],
    ) -> None:
        uses = Uses([document], paths, keeps_texts=True)
        found = {path for path in paths if any(map(uses.mention, (path, *others.get(path, ()))))}
        exact = {path for path in found if any(map(uses.mention_there, (path, *others.get(path, ()))))}
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


def _home(document: bytes, projects: ProjectFolders) -> bytes:
    folder = os.path.dirname(document)
    return projects.of(folder) or folder
