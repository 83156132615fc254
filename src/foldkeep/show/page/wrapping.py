"""Fitting text to a width: lines break between words and behind steps of paths, and within a word only if need be."""

import re
import unicodedata
from collections.abc import Iterator, Sequence
from itertools import pairwise

_BREAK = re.compile(r"(?<=[^\s/]/)(?=[^\s/])|(?<=\s)(?=\S)")
_LEAST = 8
_JOINS = re.compile("[\u200d\ufe00-\ufe0f\u20e3\U0001f3fb-\U0001f3ff\U000e0020-\U000e007f]")
_RIGHT = "\u0590-\u08ff\ufb1d-\ufdff\ufe70-\ufefc\U00010800-\U00010fff\U0001e800-\U0001efff"
_FROM_RIGHT = re.compile(f"[{_RIGHT}](?:[{_RIGHT} ]*[{_RIGHT}])?")


def breaks(text: str, first: int, rest: int) -> list[int]:
    """Return where lines begin, but for the first, so that each fits its width in terminal cells.

    >>> breaks("scan /media/shelf drive/stills", 14, 12)
    [12, 24]
    """
    from rich.cells import cell_len

    found: list[int] = []
    start, width = 0, first
    for at, end in _pieces(text):
        if cell_len(text[start:end].rstrip()) <= width:
            continue
        if at > start:
            found.append(at)
            start, width = at, rest
        while cell_len(text[start:end].rstrip()) > width:  # one word, longer than a line
            start = _cut(text, start, width)
            found.append(start)
            width = rest
    return found


def wrapped(text: str, width: int) -> list[str]:
    """Return text as lines that fit a width; those that go on stand as far in as the first."""
    lines = []
    for line in text.split("\n"):
        words = line.lstrip(" ")
        ahead = line[: len(line) - len(words)]
        edges = [0, *breaks(words, width - len(ahead), width - len(ahead)), len(words)]
        lines += [ahead + words[start:end].rstrip() for start, end in pairwise(edges)]
    return lines


def shortened(path: str, width: int) -> str:
    """Return a path that fits a width: without steps in its middle, and if need be without the middle of its name.

    >>> shortened("~/kite-days/library/stills/camera-a", 26)
    '~/…/stills/camera-a'
    >>> shortened("/media/shelf/a film with a long name.mov", 20)
    '…/a film w…name.mov'
    """
    from rich.cells import cell_len

    if cell_len(path) <= width:
        return path
    steps = path.split("/")
    ahead = "/".join(steps[: 1 if steps[0] else 2])
    for first in range(2, len(steps)):
        short = "/".join((ahead, "…", *steps[first:]))
        if cell_len(short) <= width:
            return short
    name = steps[-1]
    for kept in range(len(name) // 2, 0, -1):
        short = f"…/{name[:kept]}…{name[-kept:]}"
        if cell_len(short) <= width:
            return short
    return "…"


def column_widths(cells: Sequence[Sequence[str]], whole: Sequence[bool], width: int) -> list[int] | None:
    """Return a width for each column so that a table fits; None if it cannot without breaking words.

    Parameters
    ----------
    cells
        The rows, that of titles among them.
    whole
        Which columns are never broken.
    width
        Of all columns together, without the blanks between them.
    """
    from rich.cells import cell_len

    columns = list(zip(*cells, strict=True))
    natural = [max(map(cell_len, column)) for column in columns]
    least = [
        most if is_whole else min(most, max(_longest_piece(cell) for cell in column))
        for column, most, is_whole in zip(columns, natural, whole, strict=True)
    ]
    if sum(least) > width:
        return None
    # The narrowest get what they need first, so that one long column gives way and not all of them.
    widths = least[:]
    spare = width - sum(least)
    for at in sorted(range(len(columns)), key=lambda at: natural[at] - least[at]):
        more = min(spare, natural[at] - least[at])
        widths[at] += more
        spare -= more
    return widths


def _longest_piece(cell: str) -> int:
    from rich.cells import cell_len

    ahead = len(cell) - len(cell.lstrip(" "))
    return max(_LEAST, *(ahead + cell_len(cell[start:end].strip()) for start, end in _pieces(cell)))


def _pieces(text: str) -> Iterator[tuple[int, int]]:
    edges = [0, *(match.start() for match in _BREAK.finditer(text)), len(text)]
    yield from pairwise(edges)


def _cut(text: str, start: int, width: int) -> int:
    from rich.cells import cell_len

    end = start + 1
    while end < len(text) and cell_len(text[start : end + 1]) <= width:
        end += 1
    whole = end
    while whole > start and _is_joined(text, whole):
        whole -= 1
    return whole if whole > start else end


def _is_joined(text: str, at: int) -> bool:
    """Tell whether a character belongs to the one before it: an accent, a joined emoji, its colour or its form."""
    if at >= len(text):
        return False
    return text[at - 1] == "\u200d" or bool(_JOINS.match(text[at])) or unicodedata.combining(text[at]) > 0


def isolated(text: str) -> str:
    """Return text in which words that run from right to left stand apart from what is around them (UAX 9, FSI)."""
    return _FROM_RIGHT.sub("\u2068\\g<0>\u2069", text) if not text.isascii() else text
