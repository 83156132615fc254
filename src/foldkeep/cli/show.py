"""Tell all that is known of a file, or of every copy in a set.

Beside size, dates, links and companions that is what the content says of
itself: pixels, camera and date of a photo, length and codecs of a film, tags
of a sound. Of a set, what its copies share is said once, and what differs
stands in columns. What was read once is remembered.
"""

import argparse

from .environment import Environment, ExitStatus

EXAMPLES = """\
examples:
  foldkeep show "~/Pictures/kite.jpg"
  foldkeep show s0007e82eee8c3206
  foldkeep show *.mp4 --json
"""


def arrange(parser: argparse.ArgumentParser) -> None:
    """Declare the arguments."""
    parser.add_argument("what", nargs="+", metavar="PATH|SET", help="a file, or a set as `duplicates` names it")


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Look each up, then tell."""
    from foldkeep.find.copies import Details, details
    from foldkeep.model import Problem
    from foldkeep.show import Page, details_document, problem_documents, show_details
    from foldkeep.signals import MediaReader
    from foldkeep.stock import Stock

    with Stock.open(env.stock_path(args)) as stock, MediaReader(stock) as reader:
        found: list[Details] = [details(stock, reader, word) for word in args.what]
    problems = [Problem(each.copies[0].path, each.facts.problem) for each in found if each.facts.problem]

    def draw(page: Page) -> None:
        for at, each in enumerate(found):
            if at:
                page.line()
            show_details(page, each)

    document = {
        "command": "show",
        "shown": [details_document(each) for each in found],
        "problems": problem_documents(problems),
    }
    env.answer(args, document, draw)
    return ExitStatus.PROBLEMS if problems else ExitStatus.DONE
