"""Inventories of many machines compared with those of another day: what is the same is counted where it lies."""

from collections.abc import Iterator, Sequence
from contextlib import ExitStack
from typing import TYPE_CHECKING

from foldkeep.find.compare import Comparison, Entry, Side, Verdict, check_sides, compare
from foldkeep.formats.columns import MEMORY_BYTES, database
from foldkeep.model import Filter, Place, Progress, Step, no_progress, visible
from foldkeep.model.names import innermost
from foldkeep.stock import Stock
from foldkeep.stock.many import ListingOfMany, digest_ranges, stock_of_many

from .inventories import listed, read_by_duckdb, sources_of

if TYPE_CHECKING:
    from duckdb import DuckDBPyConnection

_SIDES = ("before", "after")
_PATH = "a.stem = b.stem AND a.name = b.name"
_AT_ONCE = 10_000


def compare_inventories(
    first: str, second: str, wanted: Filter, memory: int = MEMORY_BYTES, progress: Progress = no_progress
) -> Comparison:
    """Compare two sets of inventories, each a file or a glob, as `foldkeep.find.compare.compare` does two sides.

    Only what is not proved the same by its path and content is taken into memory.

    Raises
    ------
    UnusableInput
        If one is no whole inventory, or a filter names what neither side knows.
    """
    with database(memory) as (connection, folder), read_by_duckdb(), ExitStack() as opened:
        sides: list[Side] = []
        for schema, word in zip(_SIDES, (first, second), strict=True):
            progress(Step("Opening inventories", len(sides), len(_SIDES), "sides"))
            found = sources_of(listed([word]), folder)
            stock = opened.enter_context(stock_of_many(found.sources, connection, schema))
            sides.append(_side(stock, word, wanted))
        check_sides(sides[0], sides[1], wanted)
        same = _take_apart(connection, progress)
        reduced = [
            side._replace(files=dict(_differing(connection, one))) for side, one in zip(sides, _SIDES, strict=True)
        ]
        known = [_contents(connection, one, other) for one, other in (_SIDES, _SIDES[::-1])]
        answer = compare(reduced[0], reduced[1], {Verdict.GONE: known[0], Verdict.ADDED: known[1]})
    for kind, files, size in same:
        figures = answer.counts[Verdict.SAME].setdefault(kind, [0, 0])
        figures[0] += files
        figures[1] += size
    return answer


def _take_apart(connection: "DuckDBPyConnection", progress: Progress) -> list[tuple[str, int, int]]:
    """Set down what differs on each side; return files and bytes of what is the same, by kind.

    That has one path, one size and one content; nothing is told by a time here. So it lies in one range of digests on
    both sides, or is empty: a range at a time fits in memory, however many files there are.
    """
    for side in _SIDES:
        connection.execute(
            f"CREATE TABLE {side}.differing AS SELECT * FROM {side}.compared WHERE size > 0 AND digest IS NULL"
        )
    (rows,) = connection.execute("SELECT count(*) FROM before.compared").fetchone() or (0,)
    parts = ["{0}.size = 0", *(f"{{0}}.size > 0 AND {each}" for each in digest_ranges(rows, "{0}.digest"))]
    found: list[tuple[str, int, int]] = []
    for number, part in enumerate(parts):
        progress(Step("Comparing", number, len(parts), "parts"))
        alike = f"{_PATH} AND a.size = b.size" + (" AND a.digest = b.digest" if number else "")
        mine, its = part.format("a"), part.format("b")
        for one, other in (_SIDES, _SIDES[::-1]):
            connection.execute(
                f"INSERT INTO {one}.differing SELECT * FROM {one}.compared a WHERE {mine}"
                f" AND NOT EXISTS (SELECT 1 FROM {other}.compared b WHERE {its} AND {alike})"
            )
        found += connection.execute(
            f"SELECT b.kind, count(*), sum(b.size)::BIGINT FROM before.compared a JOIN after.compared b"
            f" ON {alike} WHERE {mine} AND {its} GROUP BY b.kind"
        ).fetchall()
    return found


def _side(stock: Stock, word: str, wanted: Filter) -> Side:
    """Have the files of a side that fit ready, by their paths below their places; return it without them."""
    places = {place.path: place for place in stock.places.all()}
    if isinstance(stock.listing, ListingOfMany):
        stock.listing.compare_below(_stems(stock, places), wanted)
    named = (*wanted.under, *wanted.not_under)
    return Side(
        visible(word),
        {place.label.encode() if len(places) > 1 else b"": place.path for place in places.values()},
        {},
        frozenset(stock.listing.kinds()),
        frozenset(place.label for place in places.values()),
        frozenset(folder for folder in named if stock.listing.has_folder(folder)),
    )


def _stems(stock: Stock, places: dict[bytes, Place]) -> Iterator[tuple[bytes, bytes]]:
    """Yield what stands before the names in each folder: its path below its place, behind that's label if need be."""
    for folder in stock.listing.folders().values():
        top = innermost(places, folder, itself=True) or b"/"
        below = folder[len(top.rstrip(b"/")) + 1 :] + b"/" if folder != top else b""
        yield folder, (places[top].label.encode() + b"/" if len(places) > 1 else b"") + below


def _differing(connection: "DuckDBPyConnection", side: str) -> Iterator[tuple[bytes, Entry]]:
    rows = connection.execute(
        f"SELECT stem, name, size, modified_ns, kind, ends, lower(hex(digest)) FROM {side}.differing"
    )
    while some := rows.fetchmany(_AT_ONCE):
        for stem, name, size, modified_ns, kind, ends, digest in some:
            yield stem + name, Entry(size, modified_ns, kind, None, ends, digest)


def _contents(connection: "DuckDBPyConnection", one: str, other: str) -> frozenset[str]:
    """Return the contents of what differs on one side that are on the other side too, under whatever path."""
    rows: Sequence[tuple[str]] = connection.execute(
        f"SELECT DISTINCT lower(hex(digest)) FROM {other}.compared WHERE digest IN (SELECT digest FROM {one}.differing)"
    ).fetchall()
    return frozenset(digest for (digest,) in rows)
