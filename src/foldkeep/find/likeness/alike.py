"""Which files look alike, by the prints that are kept of their contents."""

from collections.abc import Sequence

from foldkeep.model import Filter, Progress, StockFile, no_progress
from foldkeep.model.folder_names import dump_of
from foldkeep.scan import Presence, presences
from foldkeep.signals import MediaReader, Medium
from foldkeep.stock import Prints, Stock

from .groups import Group, Picture, grouped
from .pictures import like_pictures

STRENGTHS = ("strong", "fair")
"""How sure a likeness can be, the surest first."""


def alike(
    stock: Stock,
    prints: Prints,
    reader: MediaReader,
    wanted: Filter | None = None,
    near: Sequence[bytes] = (),
    strength: str = "fair",
    progress: Progress = no_progress,
) -> list[Group]:
    """Return the groups of photos that look alike, the surest first.

    Parameters
    ----------
    prints
        Of the photos; what has none takes no part.
    reader
        Tells what pictures say of themselves.
    wanted
        Only groups of which a file fits.
    near
        Only groups that one of these contents, given by digest, belongs to.
    strength
        The least, one of `STRENGTHS`.
    """
    kept = list(prints.all())
    pairs = like_pictures([each for _, each in kept], progress)
    if strength == STRENGTHS[0]:
        pairs = [pair for pair in pairs if pair.is_strong]
    here = {place for place, now in presences(stock).items() if now is Presence.HERE}
    files: dict[int, list[StockFile]] = {}
    for number in {number for pair in pairs for number in (pair.one, pair.other)}:
        found = stock.listing.of_digest(kept[number][0])
        files[number] = sorted(found, key=lambda file: (file.place.id not in here, _dumped(file), file.path))

    def picture(number: int) -> Picture:
        first = files[number][0]
        medium = Medium(first.path, first.kind, first.size, first.modified_ns, first.digest)
        return Picture(files[number], reader.facts(medium), kept[number][1])

    groups = grouped((pair for pair in pairs if files[pair.one] and files[pair.other]), picture)
    if wanted:
        groups = [group for group in groups if any(map(wanted.takes, _files_of(group)))]
    if near:
        groups = [group for group in groups if any(file.digest in near for file in _files_of(group))]
    return groups


def _dumped(file: StockFile) -> bool:
    """Tell whether a file lies in a folder that is a dump: of what has a sorted copy, that one is shown."""
    return any(map(dump_of, file.path.split(b"/")[:-1]))


def _files_of(group: Group) -> list[StockFile]:
    return [file for member in group.members for file in member.picture.files]
