"""Rows of a docket that are to go though no copy of their content stays in their set."""

from collections import defaultdict
from collections.abc import Mapping, Sequence

from foldkeep.model import Action, DocketRow
from foldkeep.signals import MEDIA


def lacking_copies(rows: Sequence[DocketRow]) -> tuple[list[DocketRow], Mapping[str, list[DocketRow]]]:
    """Return the media that are to go and of which, by digests, no copy stays; and what stays of each set, best first.

    Only those of which the docket gives the digest are among them, and only where it gives those of all that stays.
    """
    staying: dict[str, list[DocketRow]] = defaultdict(list)
    for row in rows:
        if row.action is not Action.FOLD:
            staying[row.set].insert(0 if row.action is Action.KEEP else len(staying[row.set]), row)
    going = (row for row in rows if row.action is Action.FOLD and not row.is_regenerable)
    return [row for row in going if _lacks_copy(row, staying.get(row.set, []))], staying


def _lacks_copy(row: DocketRow, staying: Sequence[DocketRow]) -> bool:
    others = {other.digest for other in staying}
    return row.kind in MEDIA and row.digest is not None and bool(others) and others.isdisjoint({row.digest, None})
