"""Measuring derived files and what they may be made from: each pair once, in helper processes."""

import os
import sqlite3
from collections.abc import Callable, Iterable
from contextlib import ExitStack, suppress
from functools import partial

from foldkeep.model import FoldKeepError, Progress, Step, no_progress
from foldkeep.stock import Seen, Stock
from foldkeep.storage.local.reading import FILE, digest_of, open_path

from .helpers import HELPERS, Helpers
from .media_worker import Apart, NotRead
from .reductions import MEASURER

_AT_ONCE = 64
_NOT_COMPARED = "the two could not be compared"

Key = tuple[Seen, ...]
Measure = Callable[[Key, Apart], str | None]


class Measures:
    """Answers that take decoding; those that the stock knows are believed, unless they are to decide over files.

    Parameters
    ----------
    fresh
        Measure all anew: what was measured before may be of a file that got its time put back.

    Attributes
    ----------
    progress
        Is told how far the measuring is.
    digests
        Of the files that were measured anew: what they held right before, by path.
    """

    def __init__(self, stock: Stock, *, fresh: bool = False, progress: Progress = no_progress) -> None:
        self._stock = stock
        self._fresh = fresh
        self.progress = progress
        self.digests: dict[bytes, bytes] = {}
        self._asked: dict[tuple[str, Key], str | None] = {}

    def differences(self, pairs: Iterable[tuple[Seen, Seen]]) -> dict[Key, str]:
        """Return, for pairs of a picture and its source, what keeps it from being a mere reduction; empty if it is."""

        def measure(pair: Key, helper: Apart) -> str | None:
            if self._fresh:
                for path, *_ in pair:
                    self._note_digest(path)
            return helper.difference(pair[0][0], pair[1][0])

        found = self._answers("reduction", "Comparing pictures", pairs, measure)
        return {pair: _NOT_COMPARED if answer is None else answer for pair, answer in found.items()}

    def seconds(self, files: Iterable[tuple[Seen, str]]) -> dict[Seen, float | None]:
        """Return how long films and sounds play, given with their kinds; None for what cannot be played."""
        kinds = dict(files)

        def measure(key: Key, helper: Apart) -> str | None:
            try:
                facts = helper.facts(key[0][0], kinds[key[0]])
            except NotRead:
                return None
            return None if facts.seconds is None or facts.problem else repr(facts.seconds)

        found = self._answers("seconds", "Reading lengths", ((seen,) for seen in kinds), measure)
        return {key[0]: None if answer is None else float(answer) for key, answer in found.items()}

    def _note_digest(self, path: bytes) -> None:
        if path not in self.digests:
            with suppress(OSError), open(open_path(path, FILE), "rb", buffering=0) as file:
                self.digests[path] = digest_of(file.fileno(), os.fstat(file.fileno()).st_size)[0]

    def _answers(self, what: str, phase: str, keys: Iterable[Key], measure: Measure) -> dict[Key, str | None]:
        found: dict[Key, str | None] = {}
        unknown: list[Key] = []
        for key in dict.fromkeys(keys):
            if (what, key) in self._asked:
                found[key] = self._asked[what, key]
                continue
            known = None if self._fresh else self._stock.measures.of(what, key, MEASURER)
            if known is None:
                unknown.append(key)
            else:
                found[key] = known
        if unknown:
            new = self._measured(phase, unknown, measure)
            found |= new
            self._asked |= {(what, key): answer for key, answer in new.items()}
            self._remember(what, new)
        return found

    def _measured(self, phase: str, keys: list[Key], measure: Measure) -> dict[Key, str | None]:
        found: dict[Key, str | None] = {}
        with Helpers(min(HELPERS, len(keys))) as helpers:
            for at in range(0, len(keys), _AT_ONCE):
                jobs = [(key, helpers.submit(partial(measure, key))) for key in keys[at : at + _AT_ONCE]]
                for key, job in jobs:
                    found[key] = job.result()
                    self.progress(Step(phase, len(found), len(keys), "files"))
        return found

    def _remember(self, what: str, new: dict[Key, str | None]) -> None:
        """Write answers down, but for those that may be others another day: a drive that hung, a folder shut."""
        known = {key: answer for key, answer in new.items() if answer is not None}
        # Where that cannot be written down, they are measured again another time.
        with suppress(FoldKeepError, sqlite3.Error), ExitStack() as held:
            held.enter_context(self._stock.hold("measures", wait_seconds=0))
            held.enter_context(self._stock.transaction(flush=False))
            self._stock.measures.put(what, known, MEASURER)
