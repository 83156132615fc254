"""Ranges of digests: inventories by columns are in their order, so a range is read alone, and fits in memory."""

from collections.abc import Iterator
from itertools import zip_longest

_ROWS_AT_ONCE = 5_000_000
_STARTS, _MOST_RANGES = 65_536, 4096  # beginnings of digests of two bytes


def digest_ranges(rows: int, column: str) -> Iterator[str]:
    """Yield conditions on a column of digests that part so many rows."""
    number = min(rows // _ROWS_AT_ONCE + 1, _MOST_RANGES)
    ends = [(at * _STARTS // number).to_bytes(2, "big").hex() for at in range(number)]
    for start, end in zip_longest(ends, ends[1:]):
        yield f"{column} >= x'{start}'" + (f" AND {column} < x'{end}'" if end else "")
