"""What waits in the desktop's bins, and which contents lie nowhere else any more."""

import time
from dataclasses import dataclass, field
from datetime import timedelta
from typing import NamedTuple

from foldkeep.model import PathBytes, Problem, Progress, Step, no_progress
from foldkeep.model.work import reason_of
from foldkeep.scan.bins import BinFile, BinItem, Bins, lies_in_a_bin, read_bins
from foldkeep.scan.candidates import Candidates
from foldkeep.stock import Stock
from foldkeep.storage.local.reading import digest_of, opened


class Binned(NamedTuple):
    """Something in a bin, with those of its files whose content lies nowhere else that is known."""

    item: BinItem
    last: tuple[BinFile, ...] = ()


@dataclass
class BinContents:
    """What lies in bins; `others` are bins of other systems."""

    found: list[Binned] = field(default_factory=list)
    others: dict[PathBytes, tuple[int, int]] = field(default_factory=dict)
    problems: list[Problem] = field(default_factory=list)


def look_into_bins(
    stock: Stock,
    data_home: PathBytes,
    progress: Progress = no_progress,
    *,
    older_than: timedelta | None = None,
    reads: bool = True,
) -> BinContents:
    """List what lies in bins, and tell which contents the stock knows nowhere else.

    Parameters
    ----------
    data_home
        The user's data folder, in which the first of the bins lies.
    older_than
        Only what went there before; what has no date counts as new.
    reads
        Read what another file has the size, first and last block of, since only its content tells; without, it counts
        as being elsewhere.
    """
    bins: Bins = read_bins(stock, data_home)
    before_ns = None if older_than is None else time.time_ns() - round(older_than.total_seconds() * 1e9)
    items = [item for item in bins.items if before_ns is None or (item.deleted_ns or time.time_ns()) < before_ns]
    answer = BinContents(others=bins.others, problems=bins.problems)
    total, done = sum(item.size for item in items), 0
    candidates = Candidates(stock)
    for item in items:
        last = []
        for file in item.files:
            try:
                if file.size and _is_last(candidates, file, reads):
                    last.append(file)
            except OSError as error:
                answer.problems.append(Problem(file.path, reason_of(error)))
            done += file.size
            progress(Step("Comparing what is in bins", done, total, "bytes"))
        answer.found.append(Binned(item, tuple(last)))
    return answer


def _is_last(candidates: Candidates, file: BinFile, reads: bool) -> bool:
    similar = candidates.like(file.path, file.size)
    others = [each for each in similar if not lies_in_a_bin(each.path)]
    if not others or not reads:
        return not others
    digest = _digest_at(file.path, file.size)
    return not any((each.digest or _quiet_digest(each.path, each.size)) == digest for each in others)


def _digest_at(path: PathBytes, size: int) -> bytes:
    with opened(path) as descriptor:
        return digest_of(descriptor, size)[0]


def _quiet_digest(path: PathBytes, size: int) -> bytes | None:
    try:
        return _digest_at(path, size)
    except OSError:
        return None
