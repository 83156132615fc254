"""Show all that is known about a file, or about every copy in a set.

Beside size, dates, links and companions that is what the content says of
itself: pixels, camera and date of a photo, length and codecs of a film, tags
of a sound. Of a set, what its copies share is said once, and what differs
stands in columns, as does what copies with one essence say otherwise. What was read once is remembered.
"""

import argparse

from ..environment import Environment, ExitStatus
from ..options import Option, Takes

EXAMPLES = """\
examples:
  foldkeep show "~/Pictures/kite.jpg"
  foldkeep show s0007e82eee8c3206
  foldkeep show *.mp4 --json
"""


OPTIONS = (Option("what", "a file, or a set as `duplicates` names it", Takes.FILE, "PATH|SET", several=True),)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Look each up, then tell."""
    from foldkeep.find.copies import Details, MediaSet, details, media_set
    from foldkeep.model import Problem
    from foldkeep.show.answers.show import DetailsAnswer
    from foldkeep.signals import MediaReader
    from foldkeep.stock import Stock

    with Stock.open(env.stock_path(args)) as stock, MediaReader(stock) as reader:
        found: list[Details | MediaSet] = [
            media_set(stock, reader, word) or details(stock, reader, word) for word in args.what
        ]
    of_files = [each for each in found if isinstance(each, Details)]
    problems = [Problem(each.copies[0].path, each.facts.problem) for each in of_files if each.facts.problem]

    env.answer(args, DetailsAnswer(found, problems))
    return ExitStatus.PROBLEMS if problems else ExitStatus.DONE
