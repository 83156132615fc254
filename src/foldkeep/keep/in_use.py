"""What uses the copies of sets: catalogues that are remembered, and documents of projects."""

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from itertools import chain

from foldkeep.find.catalogs import uses
from foldkeep.find.references import ProjectFolders, TimelineUses
from foldkeep.model import Problem, Progress, no_progress, visible
from foldkeep.model.catalogs import Catalog
from foldkeep.model.names import innermost
from foldkeep.stock import Stock


@dataclass(frozen=True, slots=True)
class InUse:
    """Uses of copies.

    Attributes
    ----------
    there
        For each file that a document looks for where it lies, and for the documents themselves, what is said of that.
    by_name
        For other files, the documents that have their names alone: a keeper of that name serves them as well.
    problems
        Documents that cannot be read, so that all of their projects counts as used.
    """

    there: Mapping[bytes, str] = field(default_factory=dict)
    by_name: Mapping[bytes, frozenset[str]] = field(default_factory=dict)
    problems: tuple[Problem, ...] = ()

    def with_users(self, users: Mapping[bytes, frozenset[str]]) -> dict[bytes, frozenset[str]]:
        """Return the names of catalogues that use each file, and of documents that have its name, as one."""
        found: dict[bytes, frozenset[str]] = defaultdict(frozenset, users)
        for path, documents in self.by_name.items():
            found[path] |= documents
        return dict(found)


def uses_of_copies(
    stock: Stock, projects: ProjectFolders, copies: Iterable[bytes], progress: Progress = no_progress
) -> InUse:
    """Find out which copies, given by path, the documents of projects use."""
    if not projects.all_documents:
        return InUse()
    uses = TimelineUses(stock, projects, copies, progress)
    tops = [place.path for place in stock.places.all()]

    def shown(document: bytes) -> str:
        top = innermost(tops, document) or b""
        return visible(document[len(top.rstrip(b"/")) + 1 :] if top else document)

    documents = dict.fromkeys(chain.from_iterable(projects.documents().values()), "the document of a project")
    return InUse(
        documents | {path: f"used by {shown(document)}" for path, document in uses.there.items()},
        {path: frozenset(map(shown, documents)) for path, documents in uses.by_name.items()},
        tuple(uses.problems),
    )


def known_uses(
    stock: Stock, projects: ProjectFolders, catalogs: Iterable[Catalog], progress: Progress = no_progress
) -> tuple[dict[bytes, str], list[Problem]]:
    """Return what uses each file whose content is known, for who asks elsewhere; and what could not be read for it.

    A file that has the name alone of what a document uses counts as used.
    """
    copies = (path for path, _, digest in stock.listing.named_contents() if digest)  # asked if there are documents
    found = uses_of_copies(stock, projects, copies, progress)
    by_name = {path: f"may be used by {min(documents)}" for path, documents in found.by_name.items()}
    catalogued = {path: f"used by {visible(min(names))}" for path, names in uses(stock, catalogs).items()}
    return {**by_name, **catalogued, **found.there}, list(found.problems)
