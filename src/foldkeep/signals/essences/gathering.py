"""Asking files for their essences, as far as others may have the same."""

from collections.abc import Collection

from foldkeep.model import Problem, Progress
from foldkeep.stock import Reading, Shared, Signal, Stock, Unmeasured

from ..extractors import ESSENCE
from ..gathering import ask_beginnings, find_signals
from ..media_worker import Apart


def make_outlines(stock: Stock, places: Collection[int], kinds: frozenset[str], progress: Progress) -> list[Problem]:
    """Ask for the outlines of files of some kinds in places that have none yet; return what could not be read now.

    A file of which only the beginning is read tells by that which others may have its essence.
    """

    def ask(helper: Apart, each: Reading) -> bytes:
        return helper.outline(each.path)

    return ask_beginnings(stock, stock.outlines, ESSENCE, ask, kinds, places, "Looking for essences", progress)


def find_essences(stock: Stock, places: Collection[int], progress: Progress) -> list[Problem]:
    """Tell the essences of contents in places that others may have as well; return what could not be read now."""

    def ask(helper: Apart, each: Unmeasured) -> Signal:
        return Signal(helper.essence(each.path, each.size))

    return find_signals(stock, ESSENCE, ask, places, "Comparing essences", progress, Shared.OUTLINE)
