"""Filters as SQL conditions on ``files f JOIN folders d JOIN places p``."""

import sqlite3
from collections.abc import Collection, Iterable, Iterator
from enum import StrEnum
from typing import TypeVar

from foldkeep.model import Filter
from foldkeep.model.kinds import OTHER
from foldkeep.model.work import in_blocks

_IN_FOLDERS = "files f JOIN folders d ON d.id = f.folder"
FILTERABLE = f"{_IN_FOLDERS} JOIN places p ON p.id = f.place"


DAMAGED = "extractor IN ('damage', 'media facts') AND problem <> ''"
"""Condition on the signals of contents that something was found wrong with."""

CONTENT = "coalesce({0}digest, CAST({0}inode || ' ' || {0}volume AS BLOB))"
"""Expression for the content of a file; of one that was not read whole, for the file itself."""


_Value = TypeVar("_Value")


class Shared(StrEnum):
    """Which files are asked for more: most, those that may have something in common with another content.

    The values are conditions on ``files f``.
    """

    ANYTHING = "1"
    UNCONTRADICTED = "f.content IS NULL"  # no finding of a content may come of a name that is false
    OUTLINE = (
        "f.outline IN (SELECT outline FROM files WHERE length(outline) > 1 GROUP BY outline"
        f" HAVING count(DISTINCT {CONTENT.format('')}) > 1)"
    )
    FORM = "f.id IN (SELECT id FROM temp.may_agree)"  # as `Forms.mark` left it


def condition(connection: sqlite3.Connection, wanted: Filter) -> tuple[str, list[object]]:
    """Return a condition and its parameters; ``1`` where everything is wanted."""
    parts: list[str] = []
    values: list[object] = []

    def add(part: str, *more: object) -> None:
        parts.append(part)
        values.extend(more)

    for column, alternatives in (("f.kind", wanted.kinds), ("p.role", wanted.roles), ("p.label", wanted.places)):
        if alternatives:
            add(f"{column} IN ({','.join('?' * len(alternatives))})", *alternatives)
    if wanted.under:
        below, folders = below_any(wanted.under)
        add(below, *folders)
    for folder in wanted.not_under:
        add(f"NOT {BELOW}", *bounds(folder))
    for bound, comparison in (
        (wanted.larger_than, "f.size > ?"),
        (wanted.smaller_than, "f.size < ?"),
        (wanted.modified_before_ns, "f.modified_ns < ?"),
        (wanted.modified_after_ns, "f.modified_ns > ?"),
    ):
        if bound is not None:
            add(comparison, bound)
    if wanted.damaged:
        add(
            "(f.content IS NOT NULL OR f.size = 0 AND f.kind IN ('photo', 'video', 'audio')"
            f" OR f.digest IN (SELECT digest FROM signals WHERE {DAMAGED}))"
        )
    if wanted.names or wanted.not_names:
        connection.create_function("takes_name", 1, wanted.takes_name(), deterministic=True)
        add("takes_name(f.name)")
    return " AND ".join(parts) or "1", values


KIND_OF_ALL = f"coalesce(min(nullif(kind, '{OTHER}')), '{OTHER}')"
"""The kind of a content of which files have several, as `model.kinds.kind_of_all` says."""

BELOW = "(d.path = ? OR (d.path > ? AND d.path < ?))"


def bounds(folder: bytes) -> tuple[bytes, bytes, bytes]:
    """Return the parameters of `BELOW`: the folder itself and everything below it."""
    # Bytes compare as memory does, and 0 follows the slash.
    stem = folder.rstrip(b"/")
    return (folder, stem + b"/", stem + b"0")


def below_any(folders: Collection[bytes]) -> tuple[str, tuple[bytes, ...]]:
    """Return a condition for what lies under any of some folders, which all do if none is named, and its values."""
    values = tuple(bound for folder in folders for bound in bounds(folder))
    return f"({' OR '.join(BELOW for _ in folders)})" if folders else "1", values


def tables(wanted: Filter) -> str:
    """Return the tables that a filter has something to say about; a third one to look into takes a sorting of all."""
    return FILTERABLE if wanted.roles or wanted.places else _IN_FOLDERS


def batches(values: Iterable[_Value]) -> Iterator[list[_Value]]:
    """Yield values in lists that one question to SQLite may name; it takes 999 everywhere (SQLite, limits.html)."""
    return in_blocks(values, 500)


def numbers(ids: Iterable[int]) -> str:
    """Return numbers as SQL lists them."""
    return ",".join(map(str, ids))
