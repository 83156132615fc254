"""What a sheet shows: the sets of a docket with what their copies look like and say of themselves."""

import os
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

from foldkeep.model import Action, DocketRow, Facts, Progress, Step, StockFile, no_progress
from foldkeep.signals import MediaReader, Medium
from foldkeep.stock import Stock

from .companions import Companions
from .docket import rows_by_set
from .sides import Side, SideReader


class SheetCopy(NamedTuple):
    """One copy of a set.

    Attributes
    ----------
    here
        Whether it is there now.
    place
        Label of its place; empty if the stock does not know the file.
    links
        How many names the file has.
    sidecars
        Names of what is written about it.
    """

    row: DocketRow
    here: bool
    place: str
    role: str
    links: int
    sidecars: tuple[bytes, ...]


@dataclass(frozen=True, slots=True)
class SheetSet:
    """One set: what its content says of itself, a small picture of it as JPEG if there is one, its copies.

    Of one whose copies have several contents, `sides` has what is to be seen of each, to be compared, and `says` what
    each says of itself, by digest.
    """

    id: str
    facts: Facts
    picture: bytes | None
    copies: tuple[SheetCopy, ...]
    sides: tuple[Side, ...] = ()
    says: Mapping[bytes, Facts] = field(default_factory=dict)

    @property
    def first(self) -> DocketRow:
        """The docket row of its first copy."""
        return self.copies[0].row


def sheet_sets(
    stock: Stock, reader: MediaReader, rows: Sequence[DocketRow], progress: Progress = no_progress
) -> Iterator[SheetSet]:
    """Yield the sets of a docket in its order."""
    companions = Companions(stock)
    known = stock.listing.at_all(row.path for row in rows)
    sets = list(rows_by_set(rows).values())
    shown = [_to_look_at(found) for found in sets]
    with SideReader(stock) as compared:
        for number, (found, (facts, picture)) in enumerate(zip(sets, reader.views(shown), strict=True), start=1):
            progress(Step("Looking at files", number, len(sets), "files"))
            copies = tuple(_copy(known.get(row.path), companions, row) for row in found)
            contents = _contents(found)
            several = contents if len(contents) > 1 else []
            sides = tuple(compared.sides(several))
            says = {each.digest: reader.facts(each) for each in several if each.digest}
            yield SheetSet(found[0].set, facts, picture, copies, sides, says)


def _contents(rows: Sequence[DocketRow]) -> list[Medium]:
    """Return a file of each content of a set, that of a keeper first; none where digests do not tell them apart."""
    if any(row.digest is None for row in rows):
        return []
    by_digest: dict[bytes | None, list[DocketRow]] = {}
    for row in sorted(rows, key=lambda row: row.action is not Action.KEEP):
        by_digest.setdefault(row.digest, []).append(row)
    return [_to_look_at(same) for same in by_digest.values()]


def _to_look_at(rows: Sequence[DocketRow]) -> Medium:
    """Return the copy that is looked at for all: they have one content, and one of them may be away."""
    row = next((row for row in rows if os.path.lexists(row.path)), rows[0])
    return Medium(row.path, row.kind, row.size, row.modified_ns, row.digest)


def _copy(known: StockFile | None, companions: Companions, row: DocketRow) -> SheetCopy:
    return SheetCopy(
        row,
        os.path.lexists(row.path),
        known.place.label if known else "",
        str(known.place.role) if known else "",
        known.links if known else 1,
        tuple(os.path.basename(path) for path in companions.of(row.path)),
    )
