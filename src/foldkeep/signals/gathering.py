"""Asking an extractor of every content that it was not asked of yet, by helper processes, kept as it comes."""

from collections.abc import Callable, Collection, Mapping, Sequence
from functools import partial
from typing import TypeVar

from foldkeep.model import Problem, Progress, Step
from foldkeep.model.work import reason_of
from foldkeep.stock import Beginnings, KnownPrint, Prints, Reading, Shared, Signal, Stock, Unmeasured
from foldkeep.storage.local.reading import facts_at, modified_ns

from .extractors import DAMAGE, FILM_PRINT, PHOTO_PRINT, SOUND_PRINT, Extractor
from .helpers import HELPERS, Helpers
from .media_worker import Apart, NotRead

_AT_ONCE = 32 * HELPERS

_Found = TypeVar("_Found")
_Asked = TypeVar("_Asked", Unmeasured, Reading)
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
) -> list[Problem]:
    """Ask helpers of files, and keep what they give as it comes; return a problem for each not read now.

    What is interrupted goes on where it was.

    Parameters
    ----------
    ask
        Asks a helper of a file. Raises NotRead if it could not be read now.
    keep
        Takes what was found, by file.
    phase
        What is being done, in words.
    """
    problems: list[Problem] = []
    done = 0
    progress(Step(phase, 0, len(wanted), "files"))
    with Helpers(min(HELPERS, len(wanted))) as helpers:
        for at in range(0, len(wanted), _AT_ONCE):
            jobs = [(each, helpers.submit(partial(_asked, ask, each))) for each in wanted[at : at + _AT_ONCE]]
            found: dict[_Asked, _Found] = {}
            for each, job in jobs:
                answer = job.result()
                if isinstance(answer, Problem):
                    problems.append(answer)
                else:
                    found[each] = answer
                done += 1
                progress(Step(phase, done, len(wanted), "files"))
            keep(found)
    return problems


def check_contents(stock: Stock, places: Collection[int], progress: Progress) -> list[Problem]:
    """Look for damage in the contents in places that were not looked at yet; return what could not be read now.

    What has only false names is told by its first bytes, and looked at when it has a right one.
    """

    def ask(helper: Apart, each: Unmeasured) -> Signal:
        return Signal({}, helper.damage(each.path, each.kind, each.size))

    return find_signals(stock, DAMAGE, ask, places, "Checking for damage", progress, Shared.UNCONTRADICTED)


def find_signals(
    stock: Stock,
    extractor: Extractor,
    ask: Callable[[Apart, Unmeasured], Signal],
    places: Collection[int],
    phase: str,
    progress: Progress,
    shared: Shared = Shared.ANYTHING,
) -> list[Problem]:
    """Ask an extractor of the contents in places that it was not asked of; return what could not be read now.

    Parameters
    ----------
    ask, phase
        As of `gather`.
    shared
        Only of these.
    """

    def keep(found: Mapping[Unmeasured, Signal]) -> None:
        with stock.transaction(flush=False):
            stock.signals.put(by_digest(found), extractor.name, extractor.version)

    wanted = stock.signals.lacking(extractor.name, extractor.version, extractor.kinds, places, shared)
    return gather(wanted, ask, keep, phase, progress)


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
) -> list[Problem]:
    """Make prints of the contents of some kinds in places that have none yet; return what could not be read now."""
    known = prints.digests()
    wanted = [each for each in stock.signals.contents(extractor.kinds & kinds, places) if each.digest not in known]

    def ask(helper: Apart, each: Unmeasured) -> KnownPrint:
        return helper.print(extractor, each.path, each.size)

    def keep(found: Mapping[Unmeasured, KnownPrint]) -> None:
        prints.put(by_digest(found))

    return gather(wanted, ask, keep, _PHASES[extractor], progress)


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
