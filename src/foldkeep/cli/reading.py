"""Reading contents for commands that need more of them than a scan has read."""

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from argparse import Namespace
    from collections.abc import Collection

    from foldkeep.model import Problem, Progress
    from foldkeep.stock import Stock

    from .environment import Environment


def same_of(args: "Namespace", env: "Environment") -> "frozenset[str]":
    """Return what copies must agree in, by the command line or the settings; raise UnusableInput for what cannot be."""
    from foldkeep.model import UnusableInput

    same = frozenset((args.same or env.settings(args).settings.same).split(","))
    if "essence" in same and not same <= {"content", "essence"}:
        raise UnusableInput("essences are compared alone, or with contents", "say --same essence, or content,essence")
    return same


def look_for_essences(stock: "Stock", kinds: "Collection[str]", progress: "Progress") -> "list[Problem]":
    """Ask what is here for its essence, as far as others may have the same; return what could not be read now."""
    import os
    from concurrent.futures import ThreadPoolExecutor

    from foldkeep.scan import places_here, read_outlined
    from foldkeep.signals.essences import ESSENCE, find_essences, make_outlines

    here = places_here(stock)
    asked = ESSENCE.kinds.intersection(kinds or ESSENCE.kinds)
    executor = ThreadPoolExecutor(os.cpu_count() or 1, thread_name_prefix="reading")
    try:
        with stock.hold("essences"):
            problems = make_outlines(stock, here, asked, progress)
            problems += read_outlined(stock, executor, progress).problems
            problems += find_essences(stock, here, progress)
    finally:
        executor.shutdown(wait=False, cancel_futures=True)
    return problems
