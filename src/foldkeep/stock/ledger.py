"""The ledger: every run, and every file in it. Only `foldkeep.fold` writes here."""

import sqlite3
import time
from collections.abc import Collection, Iterable, Iterator
from operator import attrgetter
from typing import Any

from foldkeep.model import Method, Run, RunFile, RunFileState, RunSummary
from foldkeep.model.grades import Grade
from foldkeep.model.runs import SourceFacts, surely_began

_RUN_COLUMNS = "id, key, method, docket, started_ns, underway"
_PLAIN = "run, number, place, path, slot, size, modified_ns, digest, keeper, state, reason, target, method, words"
_SOURCE = "source, grade, recipe, made"
_FILE_COLUMNS = f"{_PLAIN}, target_volume, target_modified_ns, mode, {_SOURCE}"
_FILE_VALUES = attrgetter(*_FILE_COLUMNS.removesuffix(f", {_SOURCE}").split(", "))
_NEWS = "state, reason, digest, keeper, target, words, target_volume, target_modified_ns, mode"
_FILE_NEWS = attrgetter(*_NEWS.split(", "))


class Ledger:
    """The record of the runs that this stock's user has carried out."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._db = connection

    def begin(self, key: str, method: Method, docket: bytes, started_ns: int) -> Run:
        """Write down a run that is about to begin and return it with its number."""
        row = self._db.execute(
            "INSERT INTO runs (key, method, docket, started_ns, underway) VALUES (?, ?, ?, ?, 1)"
            f" RETURNING {_RUN_COLUMNS}",
            (key, method, docket, started_ns),
        ).fetchone()
        return _run(row)

    def put(self, files: Iterable[RunFile]) -> None:
        """Write down files of a run that is about to begin."""
        self._db.executemany(
            f"INSERT INTO run_files ({_FILE_COLUMNS}) VALUES ({','.join('?' * 21)})",
            ((*_FILE_VALUES(file), *_told(file.source)) for file in files),
        )

    def update(self, files: Iterable[RunFile]) -> None:
        """Bring what was found out about files of a run up to date; where they come from stays."""
        self._db.executemany(
            f"UPDATE run_files SET ({_NEWS}, {_SOURCE}) = ({','.join('?' * 13)}) WHERE run = ? AND number = ?",
            ((*_FILE_NEWS(file), *_told(file.source), file.run, file.number) for file in files),
        )

    def set_underway(self, run: int, underway: bool) -> None:
        """Note that a run's files are being changed, or that all of them are settled."""
        self._db.execute("UPDATE runs SET underway = ? WHERE id = ?", (underway, run))

    def discard(self, run: int) -> None:
        """Take out a run that was refused before it changed anything."""
        self._db.execute("DELETE FROM run_files WHERE run = ?", (run,))
        self._db.execute("DELETE FROM runs WHERE id = ?", (run,))

    def run(self, id_: int) -> Run | None:
        """Return a run by its number, or None."""
        row = self._db.execute(f"SELECT {_RUN_COLUMNS} FROM runs WHERE id = ?", (id_,)).fetchone()
        return _run(row) if row else None

    def run_called(self, key: str) -> Run | None:
        """Return a run by the key that names its folders in folds, or None."""
        row = self._db.execute(f"SELECT {_RUN_COLUMNS} FROM runs WHERE key = ?", (key,)).fetchone()
        return _run(row) if row else None

    def unsettled(self) -> list[Run]:
        """Return the runs that are under way, or were when their process ended."""
        return [_run(r) for r in self._db.execute(f"SELECT {_RUN_COLUMNS} FROM runs WHERE underway ORDER BY id")]

    def files(self, run: int, states: Collection[RunFileState] = tuple(RunFileState)) -> list[RunFile]:
        """Return the files of a run that are in one of these states, by number."""
        rows = self._db.execute(
            f"SELECT {_FILE_COLUMNS} FROM run_files WHERE run = ? AND state IN ({','.join('?' * len(states))})"
            " ORDER BY number",
            (run, *states),
        )
        return [_run_file(row) for row in rows]

    def summaries(self) -> list[RunSummary]:
        """Return every run with its files counted by state, the first run first."""
        found = {
            row[0]: RunSummary(_run(row), {}, {})
            for row in self._db.execute(f"SELECT {_RUN_COLUMNS} FROM runs ORDER BY id")
        }
        for run, state, count, size in self._db.execute(
            "SELECT run, state, count(*), sum(size) FROM run_files GROUP BY run, state"
        ):
            found[run].files[RunFileState(state)] = count
            found[run].bytes[RunFileState(state)] = size
        return list(found.values())

    def waiting_before(self, before_ns: int) -> list[RunSummary]:
        """Return the runs of which files wait in folds since before a moment, the first run first."""
        summaries = self.summaries()
        began = surely_began(summaries, time.time_ns())
        return [each for each in summaries if began[each.run.id] < before_ns and each.files.get(RunFileState.WAITING)]

    def places(self, run: int) -> dict[bytes, set[RunFileState]]:
        """Return the places of a run's files, each with the states of its files."""
        found: dict[bytes, set[RunFileState]] = {}
        for place, state in self._db.execute("SELECT DISTINCT place, state FROM run_files WHERE run = ?", (run,)):
            found.setdefault(place, set()).add(RunFileState(state))
        return found

    def waiting_from(self, path: bytes) -> Run | None:
        """Return the last run in whose fold a file from this path waits, or None."""
        row = self._db.execute(
            f"SELECT {_RUN_COLUMNS} FROM runs"
            " WHERE id = (SELECT max(run) FROM run_files WHERE path = ? AND state = 'waiting')",
            (path,),
        ).fetchone()
        return _run(row) if row else None

    def runs_holding(self, digest: bytes) -> list[int]:
        """Return the numbers of the runs in whose folds a file with a content waits."""
        rows = self._db.execute(
            "SELECT DISTINCT run FROM run_files WHERE digest = ? AND state = 'waiting' ORDER BY run", (digest,)
        )
        return [run for (run,) in rows]

    def symlink_keepers(self) -> set[bytes]:
        """Return the paths that symbolic links lead to which runs put into places of files."""
        rows = self._db.execute(
            "SELECT DISTINCT keeper FROM run_files WHERE method = 'symlink' AND state IN ('waiting', 'released')"
        )
        return {keeper for (keeper,) in rows}

    def symlinks_to(self, keeper: bytes) -> list[RunFile]:
        """Return the files in whose places runs put symbolic links that lead to a file."""
        rows = self._db.execute(
            f"SELECT {_FILE_COLUMNS} FROM run_files"
            " WHERE keeper = ? AND method = 'symlink' AND state IN ('waiting', 'released')",
            (keeper,),
        )
        return [_run_file(row) for row in rows]

    def set_clock(self, run: int, from_ns: int, boot: str, since_boot_ns: int) -> None:
        """Write down from when a run is counted: by the clock, and how long after which start of the computer."""
        self._db.execute("INSERT OR REPLACE INTO run_clocks VALUES (?, ?, ?, ?)", (run, from_ns, boot, since_boot_ns))

    def clock(self, run: int) -> tuple[int, str, int] | None:
        """Return what `set_clock` wrote; None for a run of an earlier Fold Keep."""
        row: tuple[int, str, int] | None = self._db.execute(
            "SELECT from_ns, boot, since_boot_ns FROM run_clocks WHERE run = ?", (run,)
        ).fetchone()
        return row

    def lending(self) -> Iterator[bytes]:
        """Yield the digest of the keeper of each released file that is rebuilt from its rest and what that shows."""
        for (source,) in self._db.execute("SELECT source FROM run_files WHERE state = 'rest' AND source <> ''"):
            digest = source.rpartition(" ")[2]
            if digest != "-":
                yield bytes.fromhex(digest)

    def was_rewritten(self, path: bytes) -> bool:
        """Tell whether a run wrote a sidecar in the place of the one at this path."""
        return bool(
            self._db.execute(
                "SELECT 1 FROM run_files WHERE path = ? AND method = 'rewrite' AND state IN ('waiting', 'released')",
                (path,),
            ).fetchone()
        )


def _run(row: tuple[int, str, str, bytes, int, int]) -> Run:
    id_, key, method, docket, started_ns, underway = row
    return Run(id_, key, Method(method), docket, started_ns, bool(underway))


def _run_file(row: tuple[Any, ...]) -> RunFile:
    source = None
    if row[17]:
        size, modified_ns, digest = row[17].split()
        known = b"" if digest == "-" else bytes.fromhex(digest)
        source = SourceFacts(int(size), int(modified_ns), known, Grade(row[18]) if row[18] else None, *row[19:21])
    values = [*row[:9], RunFileState(row[9]), *row[10:12], Method(row[12]), row[13], source, *row[14:17]]
    return RunFile(*values)


def _told(source: SourceFacts | None) -> tuple[str, str, str, bytes]:
    """Return the values of the columns `_SOURCE`."""
    if source is None:
        return "", "", "", b""
    facts = f"{source.size} {source.modified_ns} {source.digest.hex() or '-'}"
    return facts, source.grade or "", source.recipe, source.made
