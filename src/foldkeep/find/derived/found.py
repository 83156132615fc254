"""Derived files that were found, and when they were last used."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import NamedTuple

from foldkeep.model import Place, Problem
from foldkeep.model.grades import Grade
from foldkeep.model.recipes import Recipe
from foldkeep.scan.on_disk import last_use_ns


@dataclass(frozen=True, slots=True, eq=False)
class Batch:
    """Properties that derived files have in common.

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
    family
        In the user's cache folder, the folder that has versions, with a mark for the version; else empty.
    """

    what: str
    evidence: str
    project: bytes | None = None
    version: str = ""
    recipe: Recipe | None = None
    family: bytes = b""


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
                used_ns = last_use_ns(each.path)
            except OSError:  # on a drive that is away; or gone, which is seen when it is to be folded
                used_ns = each.modified_ns
            self._known[each.path] = used_ns
        return used_ns

    def latest(self, files: Iterable[Regenerable]) -> int:
        """Return when the last one of several was used."""
        return max(map(self.of, files))


@dataclass
class Caches:
    """Derived files that were found, by what is proved of them.

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

    def keep(self, fits: Callable[[Regenerable], bool]) -> None:
        """Keep of each of its `lists` what fits."""
        self.found, self.likely, self.perhaps, self.last = (list(filter(fits, files)) for files in self.lists)

    @property
    def lists(self) -> tuple[list[Regenerable], ...]:
        """All files by how far it is shown that they can be made again; those whose source is gone last."""
        return self.found, self.likely, self.perhaps, self.last
