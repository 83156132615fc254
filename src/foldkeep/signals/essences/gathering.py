"""Asking files for their essences, as far as others may have the same."""

from collections.abc import Collection, Mapping
from typing import Any

from foldkeep.model import Problem, Progress
from foldkeep.stock import Reading, Shared, Signal, Stock, Unmeasured

from ..extractors import ESSENCE
from ..gathering import ask_beginnings, find_signals, gather
from ..media_worker import Apart


def make_outlines(stock: Stock, places: Collection[int], kinds: frozenset[str], progress: Progress) -> list[Problem]:
    """Ask for the outlines of files of some kinds in places that have none yet; return what could not be read now.

    A file of which only the beginning is read tells by that which others may have its essence.
    """

    def ask(helper: Apart, each: Reading) -> bytes:
        return helper.outline(each.path)

    return ask_beginnings(stock, stock.outlines, ESSENCE, ask, kinds, places, "Looking for essences", progress)


def find_essences(stock: Stock, places: Collection[int], progress: Progress) -> list[Problem]:
    """Tell the essences of contents in places that others may have as well; return what could not be read now.

    What was not read whole yet is read once, for its essence and its digest.
    """

    def ask_both(helper: Apart, each: Reading) -> tuple[dict[str, Any], bytes]:
        return helper.essence_and_content(each.path, each.size)

    def keep_both(found: Mapping[Reading, tuple[dict[str, Any], bytes]]) -> None:
        with stock.transaction(flush=False):
            digests = ((number, digest) for each, (_, digest) in found.items() for number in each.ids)
            stock.contents.set_read((None, digest, None, None, None, number) for number, digest in digests)
            known = {digest: Signal(values) for values, digest in found.values()}
            stock.signals.put(known, ESSENCE.name, ESSENCE.version)

    def ask(helper: Apart, each: Unmeasured) -> Signal:
        return Signal(helper.essence(each.path, each.size))

    unread = list(stock.contents.to_read_shared(places, Shared.OUTLINE).readings)
    problems = gather(unread, ask_both, keep_both, "Comparing essences", progress)
    return problems + find_signals(stock, ESSENCE, ask, places, "Comparing essences", progress, Shared.OUTLINE)
