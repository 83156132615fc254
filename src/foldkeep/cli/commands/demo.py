"""Try all of this on a made-up library.

Makes the media library of an invented kite festival in DIR, or in a fresh
temporary folder, and walks through scan, duplicates, keep, fold and unfold on
it. Nothing else is touched; its stock lies beside the library.
"""

import argparse

from ..environment import Environment, ExitStatus
from ..options import Option, Takes

EXAMPLES = """\
examples:
  foldkeep demo
  foldkeep demo ~/kite-days
  foldkeep demo ~/kite-days --library-only
"""


OPTIONS = (
    Option("folder", "a new or empty folder", Takes.FOLDER, "DIR", optional=True),
    Option("--library-only", "make the library and stop there"),
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Make the library and take the tour."""
    import io
    import os

    from foldkeep.demo import STOCK, prepare, take_tour
    from foldkeep.model.extras import need
    from foldkeep.show.answers.demo import LibraryAnswer, TourAnswer, write_step

    from ..main import main

    need("media")
    page = env.page(args)
    silent = args.json or args.quiet
    folder = os.path.abspath(prepare(args.folder))
    if args.library_only:
        env.answer(args, LibraryAnswer(folder))
        return ExitStatus.DONE
    inner = Environment(
        env.stdin,
        io.StringIO() if silent else env.stdout,
        io.StringIO() if silent else env.stderr,
        {**env.variables, "FOLDKEEP_STOCK": STOCK},
    )

    def say(words: str, line: str) -> None:
        if not silent:
            write_step(page, words, line)

    plain = ["--no-color"] if args.no_color else []
    tour = take_tour(folder, lambda argv: main([*argv, *plain], inner), say)
    env.answer(args, TourAnswer(folder, os.path.join(folder, STOCK), tour.statuses, tour.files, tour.unchanged))
    return ExitStatus.DONE if tour.went_well else ExitStatus.PROBLEMS
