"""Sets of media of several contents that agree in what they show or sound like."""

from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from enum import StrEnum
from itertools import islice
from typing import Any, NamedTuple

from foldkeep.model import CopySet, Facts, StockFile, UnusableInput
from foldkeep.model.files import freed_files
from foldkeep.model.kinds import kind_of_all
from foldkeep.signals import MediaReader

from .content_sets import Duplicates, Question, Totals
from .copy_details import medium
from .place_groups import PlaceGroup, PlaceGroups

_ID_DIGITS = 16


class Same(StrEnum):
    """What files of several contents agree in."""

    ESSENCE = "essence"
    DECODED = "decoded"


class MediaCopy(NamedTuple):
    """File of a set of media.

    Attributes
    ----------
    says
        What its content says of itself.
    more
        What belongs to it beside that in which the set agrees, in words by name: of an essence words that change what
        is seen or heard.
    rest
        How many of its bytes are no essence; 0 where the set does not agree in that.
    """

    file: StockFile
    says: Facts
    more: dict[str, str]
    rest: int = 0


class MediaSet(NamedTuple):
    """Files of several contents that agree in what they show or sound like.

    Attributes
    ----------
    id
        Short name; it begins with a letter of its own for each of what sets agree in.
    same
        What they agree in.
    agreed
        The digest that they have in common.
    what
        What was compared, in words: the kind of essence, or all that was decoded.
    copies
        In order of path; some may have one content, or be hard links.
    reclaimable
        Bytes that come free when the file stays that has most written in it; of an essence, the rest of each that goes
        is kept.
    backed_up
        Labels of places of other roles that have the same too.
    mirrored
        Labels of places that have the same too, and that a program may keep like those of the set: one copy then.
    """

    id: str
    same: Same
    agreed: bytes
    what: str
    copies: tuple[MediaCopy, ...]
    reclaimable: int
    backed_up: tuple[str, ...] = ()
    mirrored: tuple[str, ...] = ()

    @property
    def size(self) -> int:
        """Bytes of the largest."""
        return max(copy.file.size for copy in self.copies)


def files_of(found: MediaSet | CopySet) -> list[StockFile]:
    """Return the files of a set."""
    return [copy.file if isinstance(copy, MediaCopy) else copy for copy in found.copies]


_ORDERS: dict[str, Callable[[MediaSet | CopySet], tuple[Any, ...]]] = {
    "saving": lambda each: (-each.reclaimable, files_of(each)[0].path),
    "size": lambda each: (-each.size, files_of(each)[0].path),
    "count": lambda each: (-len(each.copies), files_of(each)[0].path),
    "name": lambda each: (files_of(each)[0].path.rpartition(b"/")[2], files_of(each)[0].path),
}


class AgreeingFiles(NamedTuple):
    """Files that agree, of all places, and what is known of their contents.

    Attributes
    ----------
    words
        What belongs to a content beside that in which they agree, and how many of its bytes, by its digest.
    """

    same: Same
    agreed: bytes
    what: str
    files: Sequence[StockFile]
    words: Mapping[bytes, tuple[dict[str, str], int]]


def media_sets(
    agreements: Iterable[AgreeingFiles],
    groups: PlaceGroups,
    reader: MediaReader,
    question: Question,
    name: str = "",
) -> list[MediaSet]:
    """Return the sets of files that agree but have several contents, in the order asked for.

    Places are compared in the groups of `place_groups`.

    Parameters
    ----------
    groups
        Those of the places of the stock.
    name
        Only the set of this name.

    Raises
    ------
    UnusableInput
        If the question names an order that is not there.
    """
    if question.sort not in _ORDERS:
        raise UnusableInput(f"sets cannot be sorted by {question.sort}", f"there are {', '.join(_ORDERS)}")
    found: list[MediaSet] = []
    for each in agreements:
        for group in groups:
            files = [file for file in each.files if file.place.id in group.places]
            several = len({file.digest for file in files}) > 1 and len({file.identity for file in files}) > 1
            if several and name in ("", _name_of(each, group)) and any(map(question.wanted.takes, files)):
                found.append(_set_of(each, groups, group, files, reader))
    return sorted(found, key=_ORDERS[question.sort])


def _name_of(found: AgreeingFiles, group: PlaceGroup) -> str:
    return f"{found.same[0]}{found.agreed.hex()[:_ID_DIGITS]}{group.suffix}"


def _set_of(
    found: AgreeingFiles, groups: PlaceGroups, group: PlaceGroup, files: Sequence[StockFile], reader: MediaReader
) -> MediaSet:
    copies = tuple(
        MediaCopy(file, reader.facts(medium(file)), more, rest)
        for file in files
        for more, rest in (found.words[file.digest or b""],)
    )
    having = {file.place.id for file in found.files}
    others = groups.others(having, {file.place.id for file in files}, group)
    name = _name_of(found, group)
    return MediaSet(
        name, found.same, found.agreed, found.what, copies, _reclaimable(copies), others.backed_up, others.mirrored
    )


def _reclaimable(copies: Collection[MediaCopy]) -> int:
    """Return what comes free; of each file of another content than the keeper's, its rest is kept."""
    keeper = max(copies, key=lambda copy: (copy.rest, written(copy.says), -copy.file.size, copy.file.path))
    going = {copy.file.identity: copy for copy in copies if copy.file.identity != keeper.file.identity}
    freed = freed_files(copy.file for copy in copies if copy.file.identity in going)
    kept = sum(copy.rest for copy in going.values() if copy.file.digest != keeper.file.digest)
    return max(0, sum(going[identity].file.size for identity in freed) - kept)


WRITTEN = ("rating", "title", "description", "artist", "album", "track", "captured", "camera", "lens")
"""The facts that are words about a medium, beside keywords."""


def written(says: Facts) -> int:
    """Return how much is written in a file: facts, and keywords one by one."""
    return sum(getattr(says, name) is not None for name in WRITTEN) + len(says.keywords)


class OtherSets:
    """Sets of one content, but for those of which another content shows or sounds the same."""

    def __init__(self, found: Duplicates, media: Iterable[MediaSet]) -> None:
        self._found = found
        self._taken = {self._key(copy.file) for each in media for copy in each.copies}

    def _key(self, file: StockFile) -> tuple[bytes | None, PlaceGroup]:
        return file.digest, self._found.groups.of(file.place)

    def __len__(self) -> int:
        return len(self._found)

    def sets(self, top: int | None = None, sidecars: bool | None = None) -> Iterator[CopySet]:
        """Yield the sets as those of `Duplicates`."""
        found = self._found.sets(sidecars=sidecars)
        if self._taken:
            found = (each for each in found if self._key(each.copies[0]) not in self._taken)
        yield from islice(found, top)


def sets_of_both(media: Sequence[MediaSet], others: OtherSets, question: Question) -> list[MediaSet | CopySet]:
    """Return sets of media and sets of one content, in the order asked for."""
    return sorted((*media, *others.sets()), key=_ORDERS[question.sort])


def totals_of(sets: Sequence[MediaSet | CopySet]) -> Iterator[tuple[str, Totals]]:
    """Yield the totals of sets for each kind of file, the largest saving first."""
    kinds: dict[str, Totals] = {}
    for each in sets:
        kind = kind_of_all(file.kind for file in files_of(each))
        spares = len({file.identity for file in files_of(each)}) - 1
        kinds[kind] = Totals.of((kinds.get(kind, Totals()), Totals(1, spares, each.reclaimable)))
    yield from sorted(kinds.items(), key=lambda item: (-item[1].reclaimable, item[0]))
