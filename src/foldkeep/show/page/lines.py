"""Lines that several answers have: problems, files left, free space, and how much was not listed."""

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, TypeVar

from foldkeep.model import Problem, visible
from foldkeep.model.remote import is_remote
from foldkeep.model.units import format_size

from .page import CARE, QUIET, Page
from .words import count, more

if TYPE_CHECKING:
    from foldkeep.fold import Space

T = TypeVar("T")
NOTHING_FITS = "No file fits these filters."
_MOST_ALIKE = 10
_SMALL_CHANGE = 1_000_000  # bytes: a journal, or what other programs wrote meanwhile


def write_problems(page: Page, problems: Sequence[Problem]) -> None:
    """Write a line for each problem."""
    write_listed(page, problems, count(len(problems), "problem"))


def write_left(page: Page, left: Sequence[Problem], what: str) -> None:
    """Write the files that a command left alone, and why."""
    if left:
        write_listed(page, left, f"{count(len(left), 'file')} {what}")


def write_listed(page: Page, problems: Sequence[Problem], title: str) -> None:
    """Write problems below a title."""
    page.line((f"{title}:", CARE))
    write_notes(page, problems, "")


def write_space(page: Page, spaces: "Sequence[Space]", *, quiet: bool = False) -> None:
    """Write how much is free on each volume, and the difference; where none is expected, only if there is one."""
    for space in spaces:
        more = space.after - space.before
        if quiet and abs(more) < _SMALL_CHANGE:
            continue
        change = f"{format_size(abs(more))} {'more' if more > 0 else 'less'} than" if more else "as much as"
        where = "On" if is_remote(space.place) else "On the volume of"
        page.line(f"{where} {visible(space.place)}, {format_size(space.after)} are free: {change} before.")


def write_notes(page: Page, notes: Sequence[Problem], style: str = CARE) -> None:
    """Write files with what is to be known of them, the first ten of those of which it is the same."""
    like: dict[str, list[Problem]] = {}
    for note in notes:
        like.setdefault(note.reason, []).append(note)

    def write(note: Problem) -> None:
        page.line((f"{visible(note.path)}: {note.reason}", style), indent=2)

    for alike in like.values():
        write_first(page, alike, write, "like that", "like that")


def write_first(page: Page, items: Sequence[T], write: Callable[[T], None], *what: str) -> None:
    """Write the first ten of many like things, each by `write`, and how many more there are."""
    for item in items[:_MOST_ALIKE]:
        write(item)
    if len(items) > _MOST_ALIKE:
        page.line((f"… and {more(len(items) - _MOST_ALIKE, *what)}", QUIET), indent=2)


def write_rest(page: Page, number: int, top: int | None, what: str = "", indent: int = 0) -> None:
    """Write how many rows of a list were not shown, and how to see them."""
    if top is not None and number > top:
        page.line((f"… and {more(number - top, what)} (--top {number} shows all)", QUIET), indent=indent)
