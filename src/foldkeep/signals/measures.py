"""Measuring derived files and what they may be made from: each pair once, in helper processes."""

import os
import sqlite3
from collections.abc import Callable, Collection, Iterable, Mapping
from contextlib import ExitStack, suppress
from functools import partial

from foldkeep.model import FoldKeepError, Problem, Progress, Step, no_progress
from foldkeep.model.grades import NOT_MEASURED
from foldkeep.scan.workers import Workers
from foldkeep.stock import Seen, Stock
from foldkeep.storage.local.reading import FILE, digest_of, open_path

from .compared_films import FilmPair, agreement_of
from .film_comparison import Agreement
from .gathering import asked_away
from .helpers import HELPERS, Helpers
from .media_worker import Apart, NotRead
from .reductions import MEASURER

_AT_ONCE = 64
_NOT_COMPARED = "the two could not be compared"
_REDUCTIONS = {"photo": ("reduction", "Comparing pictures"), "video": ("film reduction", "Comparing films")}

Key = tuple[Seen, ...]
Measure = Callable[[Key, Apart], str | None]
_Question = tuple[str, Key]


class Measures:
    """Answers that take decoding; those that the stock knows are believed, unless they are to decide over files.

    Parameters
    ----------
    fresh
        Measure all anew: what was measured before may be of a file that got its time put back.
    films
        Which films may be compared with their sources, by path, which decodes all of both: none that is not named;
        all if None.
    workers
        Other machines that compare frames of films too.

    Attributes
    ----------
    progress
        Is told how far the measuring is.
    digests
        Of the files that were measured anew: what they held right before, by path.
    """

    def __init__(
        self,
        stock: Stock,
        *,
        fresh: bool = False,
        films: Collection[bytes] | None = (),
        progress: Progress = no_progress,
        workers: Workers | None = None,
    ) -> None:
        self._stock = stock
        self._workers = workers
        self._fresh = fresh
        self._films = films
        self.progress = progress
        self.digests: dict[bytes, bytes] = {}
        self._asked: dict[_Question, str | None] = {}

    def differences(self, pairs: Iterable[tuple[Seen, Seen]], kind: str = "photo") -> dict[Key, str]:
        """Return, for pairs of a photo or video and its source, what keeps it from being a mere reduction of that.

        Empty if it is one. Of films that may not be compared, what is known of them is believed.
        """

        def measure(pair: Key, helper: Apart) -> str | None:
            if self._fresh:
                for path, *_ in pair:
                    self._note_digest(path)
            return helper.difference(pair[0][0], pair[1][0], kind)

        what, phase = _REDUCTIONS[kind]
        wanted = list(dict.fromkeys(pairs))
        films = None if kind == "photo" else self._films
        asked = ((what, pair) for pair in wanted if films is None or pair[0][0] in films)
        found = self._answers(phase, asked, measure)
        rest = [pair for pair in wanted if (what, pair) not in found]
        known = {} if self._fresh else self._stock.measures.of_all(what, rest, MEASURER)
        answers: dict[Key, str] = {
            pair: _NOT_COMPARED if answer is None else answer for (_, pair), answer in found.items()
        }
        return answers | {pair: known.get(pair, NOT_MEASURED) for pair in rest}

    def agreements(self, pairs: Mapping[tuple[Seen, Seen], float]) -> dict[Key, Agreement]:
        """Return, for pairs of films with the seconds at which the one begins in the other, how their frames agree.

        What could not be compared now has no answer.
        """
        found = self._answers(
            "Comparing films",
            ((f"films from {offset:.1f} s", pair) for pair, offset in pairs.items()),
            lambda pair, helper: helper.films_agree(pair[0][0], pair[1][0], pairs[pair]),  # type: ignore[index]
            lambda pair: FilmPair.of(pair[0], pair[1], pairs[pair]),  # type: ignore[index]
        )
        return {pair: Agreement.of(answer) for (_, pair), answer in found.items() if answer}

    def seconds(self, files: Iterable[tuple[Seen, str]]) -> dict[Seen, float | None]:
        """Return how long films and sounds play, given with their kinds; None for what cannot be played."""
        kinds = dict(files)

        def measure(key: Key, helper: Apart) -> str | None:
            try:
                facts = helper.facts(key[0][0], kinds[key[0]])
            except NotRead:
                return None
            return None if facts.seconds is None or facts.problem else repr(facts.seconds)

        found = self._answers("Reading lengths", (("seconds", (seen,)) for seen in kinds), measure)
        return {key[0]: None if answer is None else float(answer) for (_, key), answer in found.items()}

    def _note_digest(self, path: bytes) -> None:
        if path not in self.digests:
            with suppress(OSError), open(open_path(path, FILE), "rb", buffering=0) as file:
                self.digests[path] = digest_of(file.fileno(), os.fstat(file.fileno()).st_size)[0]

    def _answers(
        self,
        phase: str,
        questions: Iterable[_Question],
        measure: Measure,
        films: Callable[[Key], FilmPair] | None = None,
    ) -> dict[_Question, str | None]:
        wanted = list(dict.fromkeys(questions))
        found = {question: self._asked[question] for question in wanted if question in self._asked}
        if not self._fresh:
            found |= self._known([question for question in wanted if question not in found])
        if unknown := [question for question in wanted if question not in found]:
            if self._workers and films:
                found |= self._measured_away(phase, unknown, films, self._workers)
            else:
                found |= self._measured(phase, unknown, measure)
        return found

    def _known(self, questions: Iterable[_Question]) -> dict[_Question, str | None]:
        of_what: dict[str, list[Key]] = {}
        for what, key in questions:
            of_what.setdefault(what, []).append(key)
        return {
            (what, key): answer
            for what, keys in of_what.items()
            for key, answer in self._stock.measures.of_all(what, keys, MEASURER).items()
        }

    def _measured(self, phase: str, questions: list[_Question], measure: Measure) -> dict[_Question, str | None]:
        found: dict[_Question, str | None] = {}
        with Helpers(min(HELPERS, len(questions))) as helpers:
            for at in range(0, len(questions), _AT_ONCE):
                jobs = [(each, helpers.submit(partial(measure, each[1]))) for each in questions[at : at + _AT_ONCE]]
                try:
                    for question, job in jobs:
                        found[question] = self._asked[question] = job.result()
                        self.progress(Step(phase, len(found), len(questions), "files"))
                finally:  # one who has enough of waiting need not wait for the same again
                    self._remember({each: found[each] for each, _ in jobs if each in found})
        return found

    def _measured_away(
        self, phase: str, questions: list[_Question], films: Callable[[Key], FilmPair], workers: Workers
    ) -> dict[_Question, str | None]:
        found: dict[_Question, str | None] = {}
        pairs = [films(key) for _, key in questions]
        try:
            with Helpers(min(HELPERS, len(questions))) as helpers:
                answers = asked_away(pairs, agreement_of, helpers, workers)
                for question, (_, answer) in zip(questions, answers, strict=True):
                    found[question] = self._asked[question] = None if isinstance(answer, Problem) else answer
                    self.progress(Step(phase, len(found), len(questions), "files"))
        finally:
            self._remember(found)
        return found

    def _remember(self, new: Mapping[_Question, str | None]) -> None:
        """Write answers down, but for those that may be others another day: a drive that hung, a folder shut."""
        known = {question: answer for question, answer in new.items() if answer is not None}
        # Where that cannot be written down, they are measured again another time.
        with suppress(FoldKeepError, sqlite3.Error), ExitStack() as held:
            held.enter_context(self._stock.hold("measures", wait_seconds=0))
            held.enter_context(self._stock.transaction(flush=False))
            self._stock.measures.put(known, MEASURER)
