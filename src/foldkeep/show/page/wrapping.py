"""Fitting text to a width: lines break between words and behind steps of paths, and within a word only if need be."""

import re
from collections.abc import Iterator, Sequence
from itertools import pairwise

_BREAK = re.compile(r"(?<=[^\s/]/)(?=[^\s/])|(?<=\s)(?=\S)")
_LEAST = 8


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
    return end
