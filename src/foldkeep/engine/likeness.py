"""What is alike in files of many machines, by the prints that their inventories carry: nothing is read anew."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, NamedTuple, cast

from foldkeep.find.likeness import Group, alike
from foldkeep.model import Facts, Filter, Progress, UnusableInput
from foldkeep.model.work import in_blocks, told
from foldkeep.signals import MEDIA, Extractor, Measures, Medium
from foldkeep.signals.saved import Measured, read_signals
from foldkeep.stock import KnownPrint, Prints

from .inventories import Inventories

if TYPE_CHECKING:
    from foldkeep.stock.many import ListingOfMany

_AT_ONCE = 1000


class AlikeElsewhere(NamedTuple):
    """Groups of what is alike, and how many contents of these kinds have no print in any inventory."""

    groups: list[Group]
    without: int


def alike_of_many(
    asked: Inventories,
    prints: Mapping[Extractor, Prints],
    wanted: Filter,
    strength: str,
    progress: Progress,
) -> AlikeElsewhere:
    """Return what is alike, as `foldkeep.find.likeness.alike` does, by what inventories carry.

    Films whose frames would have to be compared are left out: nobody here can read them.

    Parameters
    ----------
    prints
        Empty ones, to be filled.

    Raises
    ------
    UnusableInput
        If no inventory carries prints, or what one carries makes no sense.
    """
    listing = cast("ListingOfMany", asked.stock.listing)
    facts: dict[bytes, Facts] = {}
    found = told(listing.signals(), "Taking in prints", None, "files", progress)
    for some in in_blocks(found, _AT_ONCE):
        measured = {digest: _read(said) for digest, said in some}
        facts.update((digest, each.facts) for digest, each in measured.items() if each.facts)
        for extractor, of_it in prints.items():
            of_it.put(_of(extractor, measured))
    having = set[bytes]().union(*(of_it.digests() for of_it in prints.values()))
    if not having:
        advice = "save them with: foldkeep inventory save FILE.parquet --signals"
        raise UnusableInput("these inventories carry no prints", advice)
    measures = Measures(asked.stock, progress=progress)  # of places that are not here it measures nothing
    groups = alike(asked.stock, prints, _Told(facts), measures, wanted, (), strength, here=())
    kinds = MEDIA.intersection(wanted.kinds or MEDIA)
    return AlikeElsewhere(groups, listing.contents_but(having, kinds))


class _Told:
    """Facts of files by their contents, as inventories tell them."""

    def __init__(self, facts: Mapping[bytes, Facts]) -> None:
        self._facts = facts

    def facts(self, file: Medium) -> Facts:
        """Return what a file says of itself; nothing if no inventory tells it."""
        return self._facts.get(file.digest or b"", Facts())


def _read(said: str) -> Measured:
    try:
        return read_signals(said)
    except ValueError as error:
        raise UnusableInput(f"an inventory carries signals that make no sense: {error}", "save it again") from error


def _of(extractor: Extractor, measured: Mapping[bytes, Measured]) -> dict[bytes, KnownPrint]:
    return {digest: each.prints[extractor] for digest, each in measured.items() if extractor in each.prints}
