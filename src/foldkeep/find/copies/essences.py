"""Files with one essence: the same picture or sound, but other words about it."""

from collections.abc import Callable, Collection, Iterable, Iterator, Sequence
from dataclasses import dataclass
from itertools import islice
from typing import Any

from foldkeep.model import CopySet, Facts, Role, StockFile, UnusableInput
from foldkeep.model.files import freed_files
from foldkeep.signals import MediaReader
from foldkeep.signals.essences import ESSENCE
from foldkeep.stock import Stock

from .details import medium
from .duplicates import Duplicates, Question, Totals

_ID_DIGITS = 16


@dataclass(frozen=True, slots=True)
class EssenceCopy:
    """File of a set with one essence.

    Attributes
    ----------
    says
        What its content says of itself.
    shown
        Words outside its essence that change what is seen or heard, by name.
    rest
        How many of its bytes are no essence.
    """

    file: StockFile
    says: Facts
    shown: dict[str, str]
    rest: int


@dataclass(frozen=True, slots=True)
class EssenceSet:
    """Files of several contents with one essence.

    Attributes
    ----------
    id
        Short name; it begins with a letter, as those of other sets.
    essence, kind
        The essence digest, and the kind of essence: ``jpeg``, ``mpeg audio``.
    copies
        In order of path; some may have one content, or be hard links.
    reclaimable
        Bytes that come free when the file stays that has most written in it, and of each that goes its rest.
    backed_up
        Labels of places of other roles that have the essence too.
    """

    id: str
    essence: bytes
    kind: str
    copies: tuple[EssenceCopy, ...]
    reclaimable: int
    backed_up: tuple[str, ...] = ()

    @property
    def size(self) -> int:
        """Bytes of the largest."""
        return max(copy.file.size for copy in self.copies)


def files_of(found: EssenceSet | CopySet) -> list[StockFile]:
    """Return the files of a set."""
    return [copy.file if isinstance(copy, EssenceCopy) else copy for copy in found.copies]


_ORDERS: dict[str, Callable[[EssenceSet | CopySet], tuple[Any, ...]]] = {
    "saving": lambda each: (-each.reclaimable, files_of(each)[0].path),
    "size": lambda each: (-each.size, files_of(each)[0].path),
    "count": lambda each: (-len(each.copies), files_of(each)[0].path),
    "name": lambda each: (files_of(each)[0].path.rpartition(b"/")[2], files_of(each)[0].path),
}


def same_essences(stock: Stock, reader: MediaReader, question: Question, name: str = "") -> list[EssenceSet]:
    """Return the sets of files with one essence but several contents, in the order asked for.

    What was not asked for its essence takes no part. Places of each role are compared among themselves, unless
    `across` says otherwise.

    Parameters
    ----------
    name
        Only the set of this name.

    Raises
    ------
    UnusableInput
        If the question names an order that is not there.
    """
    if question.sort not in _ORDERS:
        raise UnusableInput(f"sets cannot be sorted by {question.sort}", f"there are {', '.join(_ORDERS)}")
    found: list[EssenceSet] = []
    for essence, known, files in stock.essences.sets(ESSENCE.name, ESSENCE.version):
        roles: Sequence[Role | None] = [None] if question.across else sorted({each.place.role for each in files})
        for role in roles:
            of_role = [each for each in files if role in (None, each.place.role)]
            several = len({each.digest for each in of_role}) > 1 and len({each.identity for each in of_role}) > 1
            if several and name in ("", _name_of(essence, role)) and any(map(question.wanted.takes, of_role)):
                others = {each.place.label for each in files} - {each.place.label for each in of_role}
                found.append(_set_of(essence, role, of_role, known, reader, sorted(others)))
    return sorted(found, key=_ORDERS[question.sort])


def essence_set(stock: Stock, reader: MediaReader, name: str) -> EssenceSet | None:
    """Return the set of a name, as `duplicates` gives it; None if there is none that is known."""
    for question in (Question(), Question(across=True)):
        if found := same_essences(stock, reader, question, name):
            return found[0]
    return None


def _name_of(essence: bytes, role: Role | None) -> str:
    name = f"e{essence.hex()[:_ID_DIGITS]}"
    return name if role in (None, Role.WORKING) else f"{name}-{role}"


def _set_of(
    essence: bytes,
    role: Role | None,
    files: Sequence[StockFile],
    known: dict[bytes, dict[str, Any]],
    reader: MediaReader,
    others: Sequence[str],
) -> EssenceSet:
    copies = tuple(
        EssenceCopy(file, reader.facts(medium(file)), said["shown"], said["rest"])
        for file in files
        for said in (known[file.digest or b""],)
    )
    kind = known[files[0].digest or b""]["kind"]
    return EssenceSet(_name_of(essence, role), essence, kind, copies, _reclaimable(copies), tuple(others))


def _reclaimable(copies: Collection[EssenceCopy]) -> int:
    """Return what comes free; of each file of another content than the keeper's, its rest is kept."""
    keeper = max(copies, key=lambda copy: (copy.rest, copy.file.path))
    going = {copy.file.identity: copy for copy in copies if copy.file.identity != keeper.file.identity}
    freed = freed_files(copy.file for copy in copies if copy.file.identity in going)
    kept = sum(copy.rest for copy in going.values() if copy.file.digest != keeper.file.digest)
    return max(0, sum(going[identity].file.size for identity in freed) - kept)


class OtherSets:
    """Sets of one content, but for those of which another content has the essence.

    Parameters
    ----------
    across
        All places were compared as one.
    """

    def __init__(self, found: Duplicates, essences: Iterable[EssenceSet], *, across: bool) -> None:
        self._found = found
        self._across = across
        self._taken = {self._key(copy.file) for each in essences for copy in each.copies}

    def _key(self, file: StockFile) -> tuple[bytes | None, Role | None]:
        return file.digest, None if self._across else file.place.role

    def __len__(self) -> int:
        return len(self._found)

    def sets(self, top: int | None = None, sidecars: bool | None = None) -> Iterator[CopySet]:
        """Yield the sets as those of `Duplicates`."""
        found = self._found.sets(sidecars=sidecars)
        yield from islice((each for each in found if self._key(each.copies[0]) not in self._taken), top)


def sets_of_both(essences: Sequence[EssenceSet], others: OtherSets, question: Question) -> list[EssenceSet | CopySet]:
    """Return sets of one essence and sets of one content, in the order asked for."""
    return sorted((*essences, *others.sets()), key=_ORDERS[question.sort])


def totals_of(sets: Sequence[EssenceSet | CopySet]) -> Iterator[tuple[str, Totals]]:
    """Yield the totals of sets for each kind of file, the largest saving first."""
    kinds: dict[str, Totals] = {}
    for each in sets:
        kind = files_of(each)[0].kind
        spares = len({file.identity for file in files_of(each)}) - 1
        kinds[kind] = kinds.get(kind, Totals()) + Totals(1, spares, each.reclaimable)
    yield from sorted(kinds.items(), key=lambda item: (-item[1].reclaimable, item[0]))
