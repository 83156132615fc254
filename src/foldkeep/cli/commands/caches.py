"""Find regenerable files: renders, proxies, previews, caches.

A file counts only by evidence: its folder has a CACHEDIR.TAG, it lies in your
cache folder, or a recipe takes it and what it was made from is still there. A
proxy whose original is gone is the last there is of that picture; such files
are listed apart. What somebody works with now is left alone. Nothing is changed
by this command: -o writes a docket, `foldkeep fold` carries it out.

--older-than and --newer-than ask for the last use, reading included, as far as
the file system notes that.
"""

import argparse

from foldkeep.model.units import format_size, parse_size

from ..environment import Environment, ExitStatus
from ..options import FILTERS, PROJECTS, Option, Takes, projects_of, recipes_of, wanted

EXAMPLES = """\
examples:
  foldkeep caches --all-but-newest-version -o docket.csv
  foldkeep caches --unused --older-than 6m --cap 50GB --cap proxies=10GB
  foldkeep caches --explain ~/Videos/edit/proxies/clip_proxy.mp4
"""

_TOP_ON_TERMINAL = 8


OPTIONS = (
    Option("-o", "write a docket of regenerable files", Takes.DOCKET, "DOCKET", to="docket"),
    Option("--what", "only proxy, render, waveform, …", Takes.WORD, "WORD", several=True),
    Option("--project", "only of this project", Takes.WORD, "NAME|DIR", several=True),
    Option("--version", "only of this version of a program", Takes.WORD, "VERSION", several=True, rare=True),
    Option("--all-but-newest-version", "only of versions older than the newest in a project"),
    Option("--unused", "only files that no document of the project mentions, nor their sources"),
    Option("--measure-films", "compare proxies with their films, frame by frame: slow, and remembered", rare=True),
    Option(
        "--cap",
        "only as much as needed for the rest to fit into SIZE, least recently used first",
        Takes.WORD,
        "SIZE|RECIPE=SIZE",
        several=True,
    ),
    Option("--explain", "show which recipe takes a file and why, or why none does", Takes.FILE, "FILE"),
    Option.top(f"list the first N of each (on a terminal {_TOP_ON_TERMINAL}, else all)"),
    *PROJECTS,
    *FILTERS,
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Find and tell."""
    from foldkeep.find.derived import Wish, caches, explain_cache
    from foldkeep.keep import leaving_aside, write_docket
    from foldkeep.keep.dockets import cache_rows
    from foldkeep.model import UnusableInput, visible
    from foldkeep.model.recipes import CACHE, WHATS
    from foldkeep.scan import check_filter
    from foldkeep.show.answers.caches import CachesAnswer, ExplainedCacheAnswer
    from foldkeep.signals import Measures
    from foldkeep.stock import Stock

    unknown = [word for word in args.what if word not in (*WHATS, CACHE)]
    if unknown:
        raise UnusableInput(
            f"--what {visible(unknown[0])} is none of them", f"write one of {', '.join((*WHATS, CACHE))}"
        )
    recipes = recipes_of(args, env)
    cap, caps = _caps(args.cap)
    wish = Wish(
        wanted(args), frozenset(args.what), frozenset(args.version), args.project,
        args.all_but_newest_version, args.unused, cap, caps,
    )  # fmt: skip
    user_cache = env.user_cache()
    with Stock.open(env.stock_path(args)) as stock:
        check_filter(stock, wish.wanted)
        env.tell_half_scanned(args, stock)
        projects = projects_of(args, env, stock)
        if args.explain:
            why = explain_cache(stock, recipes, projects, args.explain, user_cache)
            env.answer(args, ExplainedCacheAnswer(why))
            return ExitStatus.DONE
        with env.progress(args) as progress:
            measures = Measures(stock, films=None if args.measure_films else (), progress=progress)
            found = caches(stock, recipes, wish, projects, user_cache, measures)
        docket = None
        if args.docket:
            rows = leaving_aside(cache_rows(found, stock), stock.places.all(), wish.wanted.roles)
            docket = write_docket(args.docket, rows)
        answer = env.with_user_cache(CachesAnswer(found, env.top(args, _TOP_ON_TERMINAL), docket), stock)
    env.answer(args, answer)
    return env.tell_problems(args, found.problems)


def _caps(texts: list[str]) -> tuple[int | None, dict[str, int]]:
    """Return what may be left over all, and of single recipes; UnusableInput if that is not understood."""
    from foldkeep.model import UnusableInput, visible

    over_all, caps = None, {}
    for text in texts:
        recipe, _, size = text.rpartition("=")
        try:
            most = parse_size(size)
        except ValueError as error:
            raise UnusableInput(
                f"--cap {visible(text)} is not understood: {error}",
                f"write a size like {format_size(50 * 10**9)}, or proxies=10GB",
            ) from error
        if recipe:
            caps[recipe] = most
        else:
            over_all = most
    return over_all, caps
