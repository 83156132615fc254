"""Lines that several answers have: problems, files left, free space, and how much was not listed."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

from foldkeep.model import Problem, visible
from foldkeep.model.remote import is_remote
from foldkeep.model.units import format_size

from .page import CARE, QUIET, Page
from .words import count

if TYPE_CHECKING:
    from foldkeep.fold import Space

NOTHING_FITS = "No file fits these filters."
_MOST_ALIKE = 10
_SMALL_CHANGE = 1_000_000  # bytes: a journal, or what other programs wrote meanwhile


def write_problems(page: Page, problems: Sequence[Problem]) -> None:
    """Write a line for each problem."""
    _listed(page, problems, count(len(problems), "problem"))


def write_left(page: Page, left: Sequence[Problem], what: str) -> None:
    """Write the files that a command left alone, and why."""
    if left:
        _listed(page, left, f"{count(len(left), 'file')} {what}")


def _listed(page: Page, problems: Sequence[Problem], title: str) -> None:
    page.line((f"{title}:", CARE))
    like: dict[str, list[Problem]] = {}
    for problem in problems:
        like.setdefault(problem.reason, []).append(problem)
    for reason, alike in like.items():
        for problem in alike[:_MOST_ALIKE]:
            page.line(f"{visible(problem.path)}: {reason}", indent=2)
        if len(alike) > _MOST_ALIKE:
            page.line((f"… and {len(alike) - _MOST_ALIKE:,} more like that; --json lists all", QUIET), indent=2)


def write_space(page: Page, spaces: "Sequence[Space]", *, quiet: bool = False) -> None:
    """Write how much is free on each volume, and the difference; where none is expected, only if there is one."""
    for space in spaces:
        more = space.after - space.before
        if quiet and abs(more) < _SMALL_CHANGE:
            continue
        change = f"{format_size(abs(more))} {'more' if more > 0 else 'less'} than" if more else "as much as"
        where = "On" if is_remote(space.place) else "On the volume of"
        page.line(f"{where} {visible(space.place)}, {format_size(space.after)} are free: {change} before.")


def write_rest(page: Page, number: int, top: int | None, what: str = "", indent: int = 0) -> None:
    """Write how many rows of a list were not shown, and how to see them."""
    if top is not None and number > top:
        words = count(number - top, what) if what else f"{number - top:,}"
        page.line((f"… and {words} more; --top {number} shows all", QUIET), indent=indent)
