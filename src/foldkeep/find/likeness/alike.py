"""Which files look or sound alike, by the prints that are kept of their contents."""

from collections.abc import Callable, Iterable, Mapping, Sequence

from foldkeep.model import Filter, Progress, StockFile, no_progress
from foldkeep.model.folder_names import dump_of
from foldkeep.scan import places_here
from foldkeep.signals import PHOTO_PRINT, Extractor, MediaReader, Medium
from foldkeep.stock import KnownPrint, Prints, Stock

from .groups import Content, Group, Judge, Likeness, by_sureness, grouped
from .photos import Photos
from .pictures import like_pictures
from .recordings import Recordings
from .sounds import like_sounds

STRENGTHS = ("strong", "fair")
"""How sure a likeness can be, the surest first."""


def alike(
    stock: Stock,
    prints: Mapping[Extractor, Prints],
    reader: MediaReader,
    wanted: Filter | None = None,
    near: Sequence[bytes] = (),
    strength: str = "fair",
    progress: Progress = no_progress,
) -> list[Group]:
    """Return the groups of photos that look alike, and of sounds that sound so, the surest first.

    Parameters
    ----------
    prints
        Of photos and sounds, by what made them; what has none takes no part.
    reader
        Tells what files say of themselves.
    wanted
        Only groups of which a file fits.
    near
        Only groups that one of these contents, given by digest, belongs to.
    strength
        The least, one of `STRENGTHS`.
    """
    groups: list[Group] = []
    for extractor, of_kind in prints.items():
        kept = list(of_kind.all())
        known = [each for _, each in kept]
        pairs: Sequence[Likeness]
        if extractor == PHOTO_PRINT:
            judge: Judge = Photos()
            parts, detail = (_by_number(kept, read) for read in (of_kind.parts, of_kind.detail))
            pairs = like_pictures(known, parts, detail, progress)
        else:
            judge, pairs = Recordings(), like_sounds(known, progress)
        pairs = [pair for pair in pairs if pair.is_strong or strength != STRENGTHS[0]]
        groups += grouped(*_contents(stock, reader, kept, pairs), judge)
    if wanted:
        groups = [group for group in groups if any(map(wanted.takes, _files_of(group)))]
    if near:
        groups = [group for group in groups if any(file.digest in near for file in _files_of(group))]
    return by_sureness(groups)


def _by_number(kept: Sequence[tuple[bytes, KnownPrint]], read: Callable[[bytes], bytes]) -> Callable[[int], bytes]:
    return lambda number: read(kept[number][0])


def _contents(
    stock: Stock, reader: MediaReader, kept: Sequence[tuple[bytes, KnownPrint]], pairs: Iterable[Likeness]
) -> tuple[list[Likeness], Callable[[int], Content]]:
    """Return the pairs of which the stock knows files, and what returns a content by its number."""
    here = places_here(stock)
    files: dict[int, list[StockFile]] = {}

    def files_of(number: int) -> list[StockFile]:
        if number not in files:
            found = stock.listing.of_digest(kept[number][0])
            files[number] = sorted(found, key=lambda file: (file.place.id not in here, _dumped(file), file.path))
        return files[number]

    def content(number: int) -> Content:
        first = files_of(number)[0]
        medium = Medium(first.path, first.kind, first.size, first.modified_ns, first.digest)
        return Content(files_of(number), reader.facts(medium), kept[number][1])

    return [pair for pair in pairs if files_of(pair.one) and files_of(pair.other)], content


def _dumped(file: StockFile) -> int:
    """Return how many folders above a file are dumps: of several copies, the one that was sorted is shown."""
    return sum(bool(dump_of(step)) for step in file.path.split(b"/")[:-1])


def _files_of(group: Group) -> list[StockFile]:
    return [file for member in group.members for file in member.content.files]
