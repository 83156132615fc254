"""Files of a docket that have the essence of what stays: compared again, whatever its rows say."""

import os
from collections.abc import Sequence
from typing import NamedTuple

from foldkeep.model import DocketRow, Progress, Step, no_progress
from foldkeep.model.extras import has_extra
from foldkeep.signals.essences import FileSource, NoEssence, essence_with_digest
from foldkeep.storage.local.reading import Stamp, digest_of, facts_at, opened

from .lacking import lacking_copies


class EssenceKeeper(NamedTuple):
    """A row that stays and has, compared now, the essence of one that is to go.

    Attributes
    ----------
    rest
        How many bytes of the one that goes are no essence.
    """

    keeper: DocketRow
    rest: int


class _Known(NamedTuple):
    essence: bytes
    rest: int


def essences_again(rows: Sequence[DocketRow], progress: Progress = no_progress) -> dict[bytes, EssenceKeeper]:
    """Compare again the files of a docket that have no copy in their set with what stays there, by path.

    Both are read now, and must be what the docket's digests say; a file whose essence is another is not among them.
    """
    asked, staying = lacking_copies(rows)
    if asked and not has_extra("media"):
        return {}  # what has another content than its keeper is left then, as ever
    known: dict[bytes, _Known | None] = {}
    found: dict[bytes, EssenceKeeper] = {}
    for number, row in enumerate(asked):
        progress(Step("Comparing essences", number, len(asked), "files"))
        for keeper in staying[row.set]:
            mine, its = (_read(each, known) for each in (row, keeper))
            if mine is not None and its is not None and mine.essence == its.essence:
                found[row.path] = EssenceKeeper(keeper, mine.rest)
                break
    return found


def _read(row: DocketRow, known: dict[bytes, _Known | None]) -> _Known | None:
    """Return the essence of a file that is what its row says; None if it has none, is not that, or cannot be read."""
    if row.path not in known:
        known[row.path] = _read_now(row)
    return known[row.path]


def _read_now(row: DocketRow) -> _Known | None:
    try:
        with opened(row.path) as descriptor:
            facts = os.fstat(descriptor)
            essence, digest = essence_with_digest(FileSource(descriptor, facts.st_size))
            os.lseek(descriptor, 0, os.SEEK_SET)
            is_that = digest_of(descriptor, facts.st_size) == (row.digest, facts.st_size)
            stands = Stamp.of(os.fstat(descriptor)) == Stamp.of(facts) == Stamp.of(facts_at(row.path))
    except (OSError, NoEssence):
        return None
    return _Known(digest, essence.rest) if is_that and stands else None
