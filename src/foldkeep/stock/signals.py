"""What was measured of contents, kept by digest, so that each is measured once by each extractor."""

import json
import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True, slots=True)
class Signal:
    """Finding of an extractor in a content: plain values, and why not all of it could be read, empty if it could."""

    values: dict[str, Any]
    problem: str = ""


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

    def put(self, found: Mapping[bytes, Signal], extractor: str, version: int) -> None:
        """Write down what an extractor found, by digest."""
        self._db.executemany(
            "INSERT OR REPLACE INTO signals (digest, extractor, version, value, problem) VALUES (?, ?, ?, ?, ?)",
            (
                (digest, extractor, version, json.dumps(signal.values), signal.problem)
                for digest, signal in found.items()
            ),
        )
