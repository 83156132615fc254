"""A check-up as a page for a browser."""

import time
from importlib.resources import files

from foldkeep.formats.own import new_file
from foldkeep.model import visible

from ..answers.checkup import CheckUpAnswer
from ..page.words import local_time

_PROBLEMS_SHOWN = 10


def write_check_up(path: str, answer: CheckUpAnswer) -> str:
    """Write a page of HTML that needs nothing else; return where.

    Names stand in it as text, never as markup. Raises UnusableInput if it cannot be written.
    """
    from jinja2 import Environment

    source = files("foldkeep.show.pictures").joinpath("templates", "checkup.html").read_text("utf-8")
    problems = [f"{visible(each.path)}: {each.reason}" for each in answer.found.report.problems]
    if len(problems) > _PROBLEMS_SHOWN:
        problems[_PROBLEMS_SHOWN:] = [f"and {len(problems) - _PROBLEMS_SHOWN:,} more"]
    page = Environment(autoescape=True).from_string(source).render(
        day=local_time(time.time_ns()),
        heading=answer.heading,
        verdict=answer.verdict,
        wanting=answer.found.wanting,
        lines=answer.lines,
        problems=problems,
    )  # fmt: skip
    with new_file(path) as (target, stream):
        stream.write(page.encode())
    return target
