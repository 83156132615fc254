"""What was measured of contents, kept by digest, so that each is measured once by each extractor."""

import json
import sqlite3
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any, NamedTuple

from .files import join
from .filtering import DAMAGED, numbers


@dataclass(frozen=True, slots=True)
class Signal:
    """Finding of an extractor in a content: plain values, and why not all of it could be read, empty if it could."""

    values: dict[str, Any]
    problem: str = ""


class Unmeasured(NamedTuple):
    """A content that an extractor was not asked of, and a file that has it, as the stock knows it."""

    digest: bytes
    path: bytes
    kind: str
    size: int
    modified_ns: int


class KnownSignals:
    """Signals by digest and extractor; those of another version of the extractor count as not known."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._db = connection

    def of(self, digest: bytes, extractor: str, version: int) -> Signal | None:
        """Return what a version of an extractor found in a content, or None if it was not asked."""
        row = self._db.execute(
            "SELECT value, problem FROM signals WHERE digest = ? AND extractor = ? AND version = ?",
            (digest, extractor, version),
        ).fetchone()
        return Signal(json.loads(row[0]), row[1]) if row else None

    def lacking(self, extractor: str, version: int, kinds: Iterable[str], places: Iterable[int]) -> list[Unmeasured]:
        """Return the contents in places that a version of an extractor was not asked of, each by one of its files."""
        return self._contents(
            kinds,
            places,
            "NOT EXISTS (SELECT 1 FROM signals s WHERE s.digest = f.digest AND s.extractor = ? AND s.version = ?)",
            (extractor, version),
        )

    def contents(self, kinds: Iterable[str], places: Iterable[int]) -> list[Unmeasured]:
        """Return the contents of some kinds in places, each by one of its files."""
        return self._contents(kinds, places, "1", ())

    def _contents(
        self, kinds: Iterable[str], places: Iterable[int], condition: str, values: tuple[object, ...]
    ) -> list[Unmeasured]:
        kinds = tuple(kinds)
        rows = self._db.execute(
            "SELECT f.digest, d.path, f.name, f.kind, f.size, f.modified_ns FROM files f"
            " JOIN folders d ON d.id = f.folder WHERE f.digest IS NOT NULL AND f.size > 0"
            f" AND f.kind IN ({','.join('?' * len(kinds))}) AND f.place IN ({numbers(places)}) AND {condition}"
            " GROUP BY f.digest ORDER BY d.path, f.name",
            (*kinds, *values),
        )
        return [Unmeasured(digest, join(folder, name), *rest) for digest, folder, name, *rest in rows]

    def damage(self) -> dict[bytes, str]:
        """Return the contents that something was found wrong with, and what."""
        rows = self._db.execute(
            f"SELECT digest, problem FROM signals WHERE {DAMAGED} ORDER BY extractor = 'damage' DESC"
        )
        found: dict[bytes, str] = {}
        for digest, problem in rows:
            found.setdefault(digest, problem)
        return found

    def put(self, found: Mapping[bytes, Signal], extractor: str, version: int) -> None:
        """Write down what an extractor found, by digest."""
        self._db.executemany(
            "INSERT OR REPLACE INTO signals (digest, extractor, version, value, problem) VALUES (?, ?, ?, ?, ?)",
            (
                (digest, extractor, version, json.dumps(signal.values), signal.problem)
                for digest, signal in found.items()
            ),
        )
