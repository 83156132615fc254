"""Look at everything and change nothing: one line a topic, with what to do next.

Places that are here are scanned; of drives that are away it is told how long
they were not seen. What is pressing is marked (a full volume, damage, files not
read for a year, folds that wait for long), and what is more than at the last
check-up. The exit status is 1 if something needs attention, or could not be read.
"""

import argparse
from typing import TYPE_CHECKING

from foldkeep.model.units import parse_age

from ..environment import Environment, ExitStatus
from ..options import PROJECTS, Option, Takes, projects_of, recipes_of
from ..reading import readers

if TYPE_CHECKING:
    from foldkeep.find.checkup import CheckUpSettings, Topic

EXAMPLES = """\
examples:
  foldkeep checkup
  foldkeep checkup --html checkup.html
  foldkeep checkup --only space --only fixity
"""

OPTIONS = (
    Option("--only", "only drives, space, fixity, catalogs, folds, spares, …", Takes.TOPIC, "TOPIC", several=True),
    Option("--html", "also write a page for a browser", Takes.FILE, "FILE"),
    *PROJECTS,
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Look, tell, remember."""
    from foldkeep.find.checkup import Topic, check_up
    from foldkeep.fold import audit
    from foldkeep.fold.accounts import seen_summaries
    from foldkeep.show.answers.checkup import CheckUpAnswer
    from foldkeep.show.answers.user_cache import WithUserCache
    from foldkeep.stock import Stock

    topics = _topics(args.only)
    settings = env.settings(args).settings
    with Stock.open(env.stock_path(args)) as stock, env.servers(stock):
        env.follow_drives(stock)
        with readers(stock.places.all()) as executor, env.progress(args) as progress:
            found = check_up(
                stock, check_up_settings(args, env), executor, progress, topics, runs=seen_summaries(stock)
            )
        strays = audit(stock, []).problems if Topic.FOLDS in topics else []
        answer = CheckUpAnswer(found, settings.release_after)
        told = env.with_user_cache(answer, stock) if Topic.CACHES in topics else answer
    if args.html:
        from foldkeep.show.pictures import write_check_up

        written = answer._replace(written=write_check_up(args.html, answer))
        told = told._replace(answer=written) if isinstance(told, WithUserCache) else written
    env.answer(args, told)
    status = env.tell_problems(args, [*found.report.problems, *strays])
    return ExitStatus.PROBLEMS if found.wanting else status


def check_up_settings(args: argparse.Namespace, env: Environment) -> "CheckUpSettings":
    """Return what a check-up goes by, from the settings and the command line."""
    from foldkeep.find.checkup import CheckUpSettings

    settings = env.settings(args).settings
    return CheckUpSettings(
        settings, recipes_of(args, env), lambda stock: projects_of(args, env, stock), env.user_cache(),
        parse_age(settings.quiet_after), parse_age(settings.release_after),
    )  # fmt: skip


def _topics(words: list[str]) -> "tuple[Topic, ...]":
    """Return the topics that are asked for; all if none is named. Raises UnusableInput for one that is none."""
    from foldkeep.find.checkup import Topic
    from foldkeep.model import UnusableInput, visible
    from foldkeep.model.spelling import advice_for

    known = [str(topic) for topic in Topic]
    for word in words:
        if word not in known:
            advice = advice_for(word, known, f"write one of {', '.join(known)}")
            raise UnusableInput(f"--only {visible(word)} is no topic", advice)
    return tuple(map(Topic, words)) or tuple(Topic)
