"""Projects: what lies in each, what it uses from elsewhere, and how long nothing happened in it."""

import os
from collections.abc import Container, Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from enum import StrEnum

from foldkeep.formats.documents import mentions_in
from foldkeep.model import Filter, Problem
from foldkeep.model.names import lies_below
from foldkeep.model.recipes import Recipe
from foldkeep.model.work import reason_of, told
from foldkeep.signals import MEDIA, Measures
from foldkeep.stock import Archived, Stock

from ..catalogs.catalog_files import StockPaths, comparable, local_path, spellings
from ..derived import Candidate, Regenerable, finished_films, may_be_finished
from ..derived.derived_files import all_caches
from ..references.project_folders import ProjectFolders
from ..references.project_references import Names

PARTS = ("originals", "finished", "generated", "documents", "other")
"""What a project consists of: media, finished films and mixes, what can be made again, what people write, the rest."""

_DOCUMENTS = frozenset(("project", "document", "sidecar", "catalog"))
_DAY_NS = 86_400 * 1_000_000_000


class Activity(StrEnum):
    """States of a project."""

    ACTIVE = "active"
    QUIET = "quiet"
    ARCHIVED = "archived"


@dataclass
class Project:
    """A project.

    Attributes
    ----------
    path
        Its folder.
    documents
        Those that make it a project; none if only its place does.
    files, sizes
        How many files, and their bytes, by `PARTS`.
    active_ns
        When one of its documents or originals was changed last, nanoseconds since the epoch; 0 if there are none.
    outside
        Media that its documents use from elsewhere, with their sizes.
    used_by
        Its media that others use: by the folder of another project, or a document that lies in none.
    generated
        The files that can be made again.
    problems
        Documents that could not be read: it may use more than is known.
    archive
        The package that has all of it as it is now, or None.
    """

    path: bytes
    documents: list[bytes] = field(default_factory=list)
    files: dict[str, int] = field(default_factory=lambda: dict.fromkeys(PARTS, 0))
    sizes: dict[str, int] = field(default_factory=lambda: dict.fromkeys(PARTS, 0))
    active_ns: int = 0
    activity: Activity = Activity.ACTIVE
    outside: dict[bytes, int] = field(default_factory=dict)
    used_by: dict[bytes, list[bytes]] = field(default_factory=dict)
    generated: dict[bytes, Regenerable] = field(default_factory=dict)
    problems: list[Problem] = field(default_factory=list)
    archive: Archived | None = None

    @property
    def total(self) -> int:
        """Bytes in all."""
        return sum(self.sizes.values())


def projects(
    stock: Stock,
    recipes: Sequence[Recipe],
    folders: ProjectFolders | None = None,
    quiet_before_ns: int = 0,
    under: tuple[bytes, ...] = (),
    measures: Measures | None = None,
    *,
    derived: Sequence[Regenerable] | None = None,
    with_uses: bool = True,
) -> list[Project]:
    """Return the projects of the stock, the one that was quiet for the longest first.

    Parameters
    ----------
    quiet_before_ns
        A project in which nothing was changed since is quiet.
    under
        Only these folders, and projects below them; all when empty.
    derived
        The files that can be made again, where they were found already.
    with_uses
        Tell what projects use from each other, which takes longest.
    """
    folders = folders or ProjectFolders(stock)
    measures = measures or Measures(stock)
    if derived is None:
        derived = all_caches(stock, recipes, folders, Filter(), measures=measures).found
    with_uses = with_uses and bool(folders.all_documents)
    made = {each.path: each for each in derived if each.source is not None and each.batch.project is not None}
    finished = _finished(stock, folders, measures)
    found: dict[bytes, Project] = {}
    sizes: dict[bytes, int] = {}
    rows_of_folders = told(
        stock.listing.by_folder(Filter(), bool if with_uses else folders.of),
        "Looking at projects",
        stock.listing.count_folders(),
        "folders",
        measures.progress,
    )
    for folder, _, rows in rows_of_folders:
        path = folders.of(folder)
        for name, kind, size, modified_ns, _ in rows:
            file = folder + b"/" + name
            if kind in MEDIA and file not in made:
                sizes[file] = size
            if path is None:
                continue
            project = found.setdefault(path, Project(path))
            part = "finished" if file in finished else _part(file, kind, made)
            project.files[part] += 1
            project.sizes[part] += size
            if part in ("originals", "finished", "documents"):
                project.active_ns = max(project.active_ns, modified_ns)
            elif part == "generated":
                project.generated[file] = made[file]
    for path, documents in folders.documents().items():
        if path in found:
            found[path].documents = documents
    if with_uses:
        _note_use(found, folders, sizes)
    archived = stock.archives.whole()
    for project in found.values():
        _note_activity(project, archived.get(project.path), quiet_before_ns)
    wanted = (each for each in found.values() if not under or _is_under(each.path, under))
    return sorted(wanted, key=lambda each: (each.active_ns, each.path))


def _finished(stock: Stock, folders: ProjectFolders, measures: Measures) -> set[bytes]:
    """Return the paths of finished films and mixes."""
    documents = folders.documents()
    candidates = (
        Candidate((path, size, modified_ns), kind, documents.get(project or b"", ()))
        for folder, _, rows in stock.listing.by_folder(Filter(), folders.of)
        for project in (folders.of(folder),)
        for name, kind, size, modified_ns, _ in rows
        for path in (folder + b"/" + name,)
        if may_be_finished(path, kind, project)
    )
    return finished_films(candidates, measures)


def _part(path: bytes, kind: str, made: Container[bytes]) -> str:
    if path in made:
        return "generated"
    if kind in MEDIA:
        return "originals"
    return "documents" if kind in _DOCUMENTS else "other"


def _is_under(path: bytes, under: tuple[bytes, ...]) -> bool:
    return any(path == folder or lies_below(path, folder) for folder in under)


def _note_activity(project: Project, archive: Archived | None, quiet_before_ns: int) -> None:
    if archive and project.active_ns <= archive.made_ns:
        project.archive, project.activity = archive, Activity.ARCHIVED
    elif project.active_ns < quiet_before_ns:
        project.activity = Activity.QUIET


def _note_use(found: Mapping[bytes, Project], folders: ProjectFolders, sizes: Mapping[bytes, int]) -> None:
    """Note what the projects use from outside themselves, and whose media that is."""
    paths = StockPaths(sizes)
    names = Names(comparable(path.rpartition(b"/")[2]) for path in sizes)
    for project in found.values():
        for document in project.documents:
            try:
                used = list(_used_by(document, project.path, paths, names))
            except (OSError, ValueError) as error:
                why = f"what it uses from elsewhere is not known: {reason_of(error)}"
                project.problems.append(Problem(document, why))
                continue
            project.outside |= {path: sizes[path] for path in used if not lies_below(path, project.path)}
    for document in folders.loose_documents:
        _note_use_by_loose(document, found, folders, paths, names)
    for project in found.values():
        for path in sorted(project.outside):
            owner = folders.of(path.rpartition(b"/")[0] or b"/")
            if owner is not None and owner != project.path:
                found[owner].used_by.setdefault(project.path, []).append(path)


def _note_use_by_loose(
    document: bytes,
    found: Mapping[bytes, Project],
    folders: ProjectFolders,
    paths: StockPaths,
    names: Names,
) -> None:
    """Note what a document that belongs to no project uses; of one that cannot be read `lending` tells."""
    with suppress(OSError, ValueError):
        for path in _used_by(document, os.path.dirname(document), paths, names):
            owner = folders.of(path.rpartition(b"/")[0] or b"/")
            if owner is not None:
                found[owner].used_by.setdefault(document, []).append(path)


def _used_by(document: bytes, project: bytes, paths: StockPaths, names: Names) -> Iterator[bytes]:
    """Yield the media of the stock that a document of a project means."""
    base = os.path.dirname(document)
    mentions = mentions_in(document)
    for entry in mentions.entries:
        text = local_path(entry.text)
        if text is None:
            continue
        if entry.by_name:
            yield from _one_of_name(paths.named(text.replace("\\", "/").rpartition("/")[2]), project)
            continue
        meant = [os.path.normpath(os.path.join(base, spelling)) for spelling in spellings(text)]
        found = (path if path in paths else paths.like(path, False) for path in meant)
        if match := next(filter(None, found), None):
            yield match
    for said in mentions.texts:
        text = comparable(os.fsencode(said))
        for name in names.within(text):
            for path in paths.named(name):
                # A name alone may be anybody's; where its folder stands before it, this one is meant.
                if any(comparable(form) in text for form in (path, os.path.relpath(path, base)) if b"/" in form):
                    yield path


def _one_of_name(named: Sequence[bytes], project: bytes) -> Iterator[bytes]:
    """Yield the file of a name that a project means: one of its own, or else the only one elsewhere."""
    own = [path for path in named if lies_below(path, project)]
    if own or len(named) == 1:
        yield (own or list(named))[0]
