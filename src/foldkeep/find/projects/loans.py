"""What others use of a project: other projects, documents that belong to none, and catalogues."""

from collections.abc import Iterable
from dataclasses import dataclass, field

from foldkeep.formats.documents import mentions_in
from foldkeep.model import UnusableInput, visible
from foldkeep.model.names import lies_below
from foldkeep.model.work import reason_of
from foldkeep.stock import Stock

from ..catalogs.catalog_files import uses
from ..references.project_folders import ProjectFolders
from .project import Project


@dataclass
class Lending:
    """Files of a project that others use, and so must stay where they are.

    Attributes
    ----------
    files
        The reason for each file that others are known to use.
    all
        The reason for every file, where somebody cannot be asked; else empty.
    """

    files: dict[bytes, str] = field(default_factory=dict)
    all: str = ""

    def reason(self, path: bytes) -> str:
        """Return why a file must stay; empty if nobody else uses it."""
        return self.files.get(path) or self.all


def lending(stock: Stock, project: Project, known: Iterable[Project], folders: ProjectFolders) -> Lending:
    """Find out who uses files of a project but itself; `known` has all projects."""
    found = Lending({path: f"{visible(user)} uses it" for user, paths in project.used_by.items() for path in paths})
    for other in known:
        if other.path != project.path and other.problems:
            found.all = f"{visible(other.problems[0].path)} cannot be read, so it may use it"
    for document in folders.loose_documents:
        try:
            mentions_in(document)
        except (OSError, ValueError) as error:
            found.all = f"{visible(document)} cannot be read, so it may use it: {reason_of(error)}"
    try:
        for path, names in uses(stock, stock.catalogs.all()).items():
            if lies_below(path, project.path):
                found.files.setdefault(path, f"the catalogue {visible(min(names))} uses it")
    except UnusableInput as error:
        found.all = f"a catalogue may use it: {error}"
    return found
