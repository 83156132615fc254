"""How far it is shown that a file can be made again: proved, likely, or no more than a name."""

import re
from collections import Counter
from collections.abc import Iterable, Sequence

from foldkeep.formats.documents import mentions_in
from foldkeep.model.companions import stem_of
from foldkeep.model.grades import Grade
from foldkeep.model.kinds import kind_of
from foldkeep.model.names import lies_below
from foldkeep.model.recipes import Recipe
from foldkeep.signals import MEDIA

from ..references.project_folders import ProjectFolders
from ..references.project_references import Uses
from .names import is_machine_made

_MEASURED = {"photo": ("proxy", "thumbnail"), "video": ("proxy",)}  # what a measured source proves to be made from it

_NEARLY_ALL = 0.9
_NUMBERED = re.compile(rb"\d{1,7}\.\w+").fullmatch  # most of them, told in a third of the time
_ALL_NUMBERED = re.compile(rb"(?:\d{1,7}\.\w+/)+").fullmatch  # and nearly always of a whole folder
_FILE_NAME = re.compile(r"[\w)\]}-]\.(\w{2,5})\b")


def grade_at_first(recipe: Recipe, kind: str, source_kind: str) -> Grade | None:
    """Return the grade that a recipe alone gives to a file whose source is there; None if that must be measured."""
    if recipe.trust:
        return Grade.TRUSTED
    if recipe.source == "manifest":
        return Grade.PROVED
    if recipe.source == "stem" and kind == source_kind and recipe.what in _MEASURED.get(kind, ()):
        return None
    return Grade.PERHAPS


def machine_made(names: Sequence[bytes]) -> frozenset[bytes]:
    """Return those files of a folder whose names only programs give, if they are nearly all and have one suffix."""
    if not names:
        return frozenset()
    suffix = names[0][names[0].rfind(b".") :]
    if sum(name.endswith(suffix) for name in names) < _NEARLY_ALL * len(names):
        ((suffix, _),) = Counter([name[name.rfind(b".") :] for name in names]).most_common(1)
    if _ALL_NUMBERED(b"/".join(names) + b"/"):
        return frozenset(names)
    made = frozenset([
        name for name in names if name.endswith(suffix) and (_NUMBERED(name) or is_machine_made(stem_of(name)))
    ])  # fmt: skip
    return made if len(made) >= _NEARLY_ALL * len(names) else frozenset()


class Vouching:
    """Tells which projects have a document that may vouch for the opaque files of their caches.

    Parameters
    ----------
    tops
        The folders of places.
    media
        The paths of the media that no recipe takes.
    """

    def __init__(self, projects: ProjectFolders, tops: Iterable[bytes], media: Iterable[bytes]) -> None:
        self._of_project = projects.documents()
        self._tops = frozenset(tops)
        self._media = media
        self._known: dict[bytes, bool] = {}

    def vouches(self, project: bytes | None) -> bool:
        """Tell whether a project has a document that can be read and names something.

        One at the top of a place counts only if the place is that project: it names most of the media there.
        """
        if project is None:
            return False
        if project not in self._known:
            paths = [path for path in self._of_project.get(project, ()) if _names_something(path)]
            self._known[project] = bool(paths) and (project not in self._tops or self._is_of_this(project, paths))
        return self._known[project]

    def _is_of_this(self, top: bytes, documents: Sequence[bytes]) -> bool:
        media = [path for path in self._media if lies_below(path, top)]
        uses = Uses(documents, media)
        return 2 * sum(uses.mention(path) for path in media) >= len(media) > 0


def _names_something(document: bytes) -> bool:
    """Tell whether a document can be read and names any media."""
    try:
        found = mentions_in(document)
    except (OSError, ValueError):
        return False
    return bool(found.entries) or any(
        kind_of(b"x." + match[1].encode()) in MEDIA for text in found.texts for match in _FILE_NAME.finditer(text)
    )
