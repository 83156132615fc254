"""Asking an extractor of every content that it was not asked of yet, by helper processes, kept as it comes."""

from collections.abc import Callable, Sequence
from functools import partial

from foldkeep.model import Problem, Progress, Step
from foldkeep.model.work import reason_of
from foldkeep.stock import Signal, Stock, Unmeasured
from foldkeep.storage.local.reading import facts_at, modified_ns

from .extractors import DAMAGE, Extractor
from .helpers import HELPERS, Helpers
from .media_worker import Apart, NotRead

_AT_ONCE = 32 * HELPERS

Ask = Callable[[Apart, Unmeasured], Signal]
"""Asks a helper of a file, and returns what the content gives. Raises NotRead if it could not be read now."""


def gather(
    stock: Stock, extractor: Extractor, places: Sequence[int], ask: Ask, phase: str, progress: Progress
) -> list[Problem]:
    """Ask an extractor of the contents in places that it was not asked of; return a problem for each not read now.

    What was asked is written down as it comes, so what is interrupted goes on where it was.

    Parameters
    ----------
    stock
        A stock that is held.
    phase
        What is being done, in words.
    """
    wanted = stock.signals.lacking(extractor.name, extractor.version, extractor.kinds, places)
    problems: list[Problem] = []
    done = 0
    progress(Step(phase, 0, len(wanted), "files"))
    with Helpers(min(HELPERS, len(wanted))) as helpers:
        for at in range(0, len(wanted), _AT_ONCE):
            jobs = [(each, helpers.submit(partial(_asked, ask, each))) for each in wanted[at : at + _AT_ONCE]]
            found: dict[bytes, Signal] = {}
            for each, job in jobs:
                answer = job.result()
                if isinstance(answer, Problem):
                    problems.append(answer)
                else:
                    found[each.digest] = answer
                done += 1
                progress(Step(phase, done, len(wanted), "files"))
            with stock.transaction(flush=False):
                stock.signals.put(found, extractor.name, extractor.version)
    return problems


def check_contents(stock: Stock, places: Sequence[int], progress: Progress) -> list[Problem]:
    """Look for damage in the contents in places that were not looked at yet; return what could not be read now."""

    def ask(helper: Apart, each: Unmeasured) -> Signal:
        return Signal({}, helper.damage(each.path, each.kind, each.size))

    return gather(stock, DAMAGE, places, ask, "Checking for damage", progress)


def _asked(ask: Ask, each: Unmeasured, helper: Apart) -> Signal | Problem:
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
