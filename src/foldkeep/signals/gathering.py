"""Asking an extractor of every content that it was not asked of yet, by helper processes, kept as it comes."""

import threading
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from functools import partial
from typing import Any, TypeVar

from foldkeep.model import PathBytes, Problem, Progress, Step
from foldkeep.model.work import reason_of
from foldkeep.scan.workers import Call, Job, Sight, Workers, in_turn, sight_of
from foldkeep.stock import Beginnings, KnownPrint, Prints, Reading, Shared, Signal, Stock, Unmeasured
from foldkeep.storage.local.reading import facts_at, modified_ns

from .compared_films import FilmPair
from .extractors import DAMAGE, FILM_PRINT, PHOTO_PRINT, SOUND_PRINT, Extractor
from .helpers import HELPERS, Helpers
from .media_worker import Apart, NotRead

_AT_ONCE = 32 * HELPERS
_BATCH = 16  # files at most that another machine is asked of together

_Found = TypeVar("_Found")
_Asked = TypeVar("_Asked", Unmeasured, Reading, FilmPair)
_PHASES = {
    PHOTO_PRINT: "Looking at pictures",
    SOUND_PRINT: "Listening to sounds",
    FILM_PRINT: "Looking at films",
}


def gather(
    wanted: Sequence[_Asked],
    ask: Callable[[Apart, _Asked], _Found],
    keep: Callable[[Mapping[_Asked, _Found]], None],
    phase: str,
    progress: Progress,
    workers: Workers | None = None,
) -> list[Problem]:
    """Ask helpers of files, and keep what they give as it comes; return a problem for each not read now.

    What is interrupted goes on where it was.

    Parameters
    ----------
    ask
        Asks a helper of a file. Raises NotRead if it could not be read now. For `workers` it is a function of a module,
        or a `partial` of one.
    keep
        Takes what was found, by file.
    phase
        What is being done, in words.
    workers
        Other machines that ask helpers of their own too.
    """
    problems: list[Problem] = []
    found: dict[_Asked, _Found] = {}
    progress(Step(phase, 0, len(wanted), "files"))
    with Helpers(min(HELPERS, len(wanted))) as helpers:
        answers = asked_away(wanted, ask, helpers, workers) if workers else _asked_here(wanted, ask, helpers)
        for done, (each, answer) in enumerate(answers, start=1):
            if isinstance(answer, Problem):
                problems.append(answer)
            else:
                found[each] = answer
            progress(Step(phase, done, len(wanted), "files"))
            if done % _AT_ONCE == 0 or done == len(wanted):
                keep(found)
                found = {}
    return problems


def _asked_here(
    wanted: Sequence[_Asked], ask: Callable[[Apart, _Asked], _Found], helpers: Helpers
) -> Iterator[tuple[_Asked, _Found | Problem]]:
    for at in range(0, len(wanted), _AT_ONCE):
        jobs = [(each, helpers.submit(partial(_asked, ask, each))) for each in wanted[at : at + _AT_ONCE]]
        for each, job in jobs:
            yield each, job.result()


def asked_away(
    wanted: Sequence[_Asked], ask: Callable[[Apart, _Asked], _Found], helpers: Helpers, workers: Workers
) -> Iterator[tuple[_Asked, _Found | Problem]]:
    """Yield what helpers give of files, here and elsewhere, in their order.

    Parameters
    ----------
    ask
        As of `gather`.
    """
    size = max(1, min(_BATCH, len(wanted) // workers.room))
    batches = [wanted[at : at + size] for at in range(0, len(wanted), size)]
    answers = in_turn(workers, (_Questions(batch, ask, helpers) for batch in batches), len(batches))
    for batch, answered in zip(batches, answers, strict=True):
        yield from zip(batch, answered, strict=True)


class _Questions(Job[list[Any]]):
    """Files that helpers are asked of, on whatever machine."""

    def __init__(self, wanted: Sequence[Any], ask: Callable[[Apart, Any], Any], helpers: Helpers) -> None:
        self._wanted, self._ask, self._helpers = wanted, ask, helpers
        self.allow_for(sum(each.size for each in wanted))

    def away(self) -> Call:
        """Return the questions, with what this machine sees of each file."""
        return Call(ask_away, (self._ask, [(each, sight_of(each.path)) for each in self._wanted]))

    def here(self, found: list[Any] | None = None) -> list[Any]:
        """Ask of all, or of those that could not be read elsewhere."""
        answers = found or [None] * len(self._wanted)
        return [
            self._helpers.do(partial(_asked, self._ask, each)) if answer is None else answer
            for each, answer in zip(self._wanted, answers, strict=True)
        ]

    def is_blind(self, found: list[Any]) -> bool:
        """Tell whether none of the files could be read."""
        return all(each is None for each in found)


_own = threading.local()


def ask_away(ask: Callable[[Apart, _Asked], _Found], wanted: Sequence[tuple[_Asked, Sight | None]]) -> list[Any]:
    """Ask a helper of files for another machine; return what it gives of each, None for what cannot be read here."""
    if not hasattr(_own, "helper"):
        _own.helper = Apart()
    answers = []
    for each, sight in wanted:
        answer = _asked(ask, each, _own.helper) if sight and sight_of(each.path) == sight else None
        answers.append(None if isinstance(answer, Problem) else answer)
    return answers


def check_contents(
    stock: Stock, places: Collection[int], progress: Progress, workers: Workers | None = None
) -> list[Problem]:
    """Look for damage in the contents in places that were not looked at yet; return what could not be read now.

    What has only false names is told by its first bytes, and looked at when it has a right one.
    """
    phase, only = "Checking for damage", Shared.UNCONTRADICTED
    return find_signals(stock, DAMAGE, _damage_of, places, phase, progress, only, workers)


def _damage_of(helper: Apart, each: Unmeasured) -> Signal:
    return Signal({}, helper.damage(each.path, each.kind, each.size))


def find_signals(
    stock: Stock,
    extractor: Extractor,
    ask: Callable[[Apart, Unmeasured], Signal],
    places: Collection[int],
    phase: str,
    progress: Progress,
    shared: Shared = Shared.ANYTHING,
    workers: Workers | None = None,
) -> list[Problem]:
    """Ask an extractor of the contents in places that it was not asked of; return what could not be read now.

    Parameters
    ----------
    ask, phase, workers
        As of `gather`.
    shared
        Only of these.
    """

    def keep(found: Mapping[Unmeasured, Signal]) -> None:
        with stock.transaction(flush=False):
            stock.signals.put(by_digest(found), extractor.name, extractor.version)

    wanted = stock.signals.lacking(extractor.name, extractor.version, extractor.kinds, places, shared)
    return gather(wanted, ask, keep, phase, progress, workers)


def ask_beginnings(
    stock: Stock,
    beginnings: Beginnings,
    extractor: Extractor,
    ask: Callable[[Apart, Reading], bytes],
    kinds: frozenset[str],
    places: Collection[int],
    phase: str,
    progress: Progress,
) -> list[Problem]:
    """Ask files of some kinds in places for what their beginnings tell, where that is not known yet.

    Return what could not be read now.

    Parameters
    ----------
    ask, phase
        As of `gather`.
    """

    def keep(found: Mapping[Reading, bytes]) -> None:
        with stock.transaction(flush=False):
            beginnings.put(extractor.version, found.items())

    wanted = beginnings.lacking(extractor.version, extractor.kinds & kinds, places)
    return gather(wanted, ask, keep, phase, progress)


def make_prints(
    stock: Stock,
    extractor: Extractor,
    prints: Prints,
    places: Collection[int],
    kinds: frozenset[str],
    progress: Progress,
    workers: Workers | None = None,
    under: Collection[PathBytes] = (),
) -> list[Problem]:
    """Make prints of the contents of some kinds in places that have none yet; return what could not be read now.

    Where folders are named, only of what lies `under` them.
    """
    known = prints.digests()
    contents = stock.signals.contents(extractor.kinds & kinds, places, under)
    wanted = [each for each in contents if each.digest not in known]

    def keep(found: Mapping[Unmeasured, KnownPrint]) -> None:
        prints.put(by_digest(found))

    return gather(wanted, partial(_print_of, extractor), keep, _PHASES[extractor], progress, workers)


def _print_of(extractor: Extractor, helper: Apart, each: Unmeasured) -> KnownPrint:
    return helper.print(extractor, each.path, each.size)


def by_digest(found: Mapping[Unmeasured, _Found]) -> dict[bytes, _Found]:
    """Return what was found of contents by their digests."""
    return {each.digest: answer for each, answer in found.items()}


def _asked(ask: Callable[[Apart, _Asked], _Found], each: _Asked, helper: Apart) -> _Found | Problem:
    try:
        found = ask(helper, each)
        facts = facts_at(each.path)
    except NotRead as error:
        return Problem(each.path, str(error))
    except OSError as error:
        return Problem(each.path, reason_of(error))
    if (facts.st_size, modified_ns(facts)) != (each.size, each.modified_ns):
        return Problem(each.path, "changed since the scan; scan again")
    return found
