"""Tables: in columns where a terminal is wide enough, else a record a row; plain and whole in a pipe."""

from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING, NamedTuple

from .wrapping import column_widths, shortened, wrapped

if TYPE_CHECKING:
    from rich.text import Text

_GAP = 2
_MOST_LINES = 3
_LEAST_PATH = 24
_TITLE, _RULE = "bold", "dim"


class Column(NamedTuple):
    """A column of a table; `numbers` stand on the right, `style` is for its cells.

    `whole` ones are never broken. Where a terminal is too narrow for all, the `spare` ones are left out, those of the
    highest number first; the cells of a `path` one are shortened in the middle.
    """

    title: str
    numbers: bool = False
    style: str = ""
    whole: bool = False
    spare: int = 0
    path: bool = False


def plain_table(columns: Sequence[Column], rows: Sequence[Sequence[str]]) -> Iterator[str]:
    """Yield the lines of a table that is not fitted to a width."""
    lines = [[column.title for column in columns], *rows]
    widths = [max(len(line[at]) for line in lines) for at in range(len(columns))]
    for line in lines:
        cells = [
            cell.rjust(width) if column.numbers else cell.ljust(width)
            for cell, width, column in zip(line, widths, columns, strict=True)
        ]
        yield "  ".join(cells).rstrip()


def fitted_table(
    columns: Sequence[Column], rows: Sequence[Sequence[str]], width: int, *, total: bool = False, dash: str = "─"
) -> Iterator["Text"]:
    """Yield the lines of a table that fit a width; with `total`, the last row stands apart, behind a rule of `dash`.

    Cells break between words and behind the steps of paths. Where that is not enough, or a row would take more than
    three lines, each row is a record: a line for each of its cells, with the title before it.
    """
    from rich.text import Text

    columns, rows = _fitted(columns, rows, width)
    widths = _widths(columns, rows, width)
    if widths is None or any(_lines(row, widths) > _MOST_LINES for row in rows):
        yield from _records(columns, rows, width)
        return
    rule = Text(dash * (sum(widths) + _GAP * (len(widths) - 1)), _RULE)
    yield from _row([column._replace(style=_TITLE) for column in columns], [each.title for each in columns], widths)
    yield rule
    for number, row in enumerate(rows):
        if total and number == len(rows) - 1 and number:
            yield rule
        yield from _row(columns, row, widths)


def _fitted(
    columns: Sequence[Column], rows: Sequence[Sequence[str]], width: int
) -> tuple[Sequence[Column], Sequence[Sequence[str]]]:
    """Return the columns for which there is room, and their cells, with paths shortened where they have to be."""
    for rank in sorted({column.spare for column in columns} | {0}, reverse=True):
        short = _with_short_paths(columns, rows, width)
        if short is not None or not rank:
            return columns, rows if short is None else short
        rows = [[cell for cell, column in _cells(row, columns) if column.spare < rank] for row in rows]
        columns = [column for column in columns if column.spare < rank]
    return columns, rows


def _with_short_paths(
    columns: Sequence[Column], rows: Sequence[Sequence[str]], width: int
) -> Sequence[Sequence[str]] | None:
    """Return rows whose paths are short enough for each to take one line; None if there is no room even so."""
    paths = sum(column.path for column in columns)
    room = (width - _GAP * (len(columns) - 1) - _natural(columns, rows)) // paths if paths else 0
    if paths and room >= _LEAST_PATH:
        rows = [
            [shortened(cell, room) if column.path else cell for cell, column in _cells(row, columns)] for row in rows
        ]
    return None if _widths(columns, rows, width, whole=True) is None else rows


def _natural(columns: Sequence[Column], rows: Sequence[Sequence[str]]) -> int:
    """Return the width of all columns that are no paths, if none is broken."""
    from rich.cells import cell_len

    return sum(
        max(cell_len(row[at]) for row in ([column.title for column in columns], *rows))
        for at, column in enumerate(columns)
        if not column.path
    )


def _cells(row: Sequence[str], columns: Sequence[Column]) -> Iterator[tuple[str, Column]]:
    return zip(row, columns, strict=True)


def _with(row: Sequence[str], widths: Sequence[int]) -> Iterator[tuple[str, int]]:
    return zip(row, widths, strict=True)


def _lines(row: Sequence[str], widths: Sequence[int]) -> int:
    return max(len(wrapped(cell, width)) for cell, width in _with(row, widths))


def _widths(
    columns: Sequence[Column], rows: Sequence[Sequence[str]], width: int, *, whole: bool = False
) -> list[int] | None:
    titles = [column.title for column in columns]
    room = width - _GAP * (len(columns) - 1)
    return column_widths([titles, *rows], [whole or column.numbers or column.whole for column in columns], room)


def _row(columns: Sequence[Column], row: Sequence[str], widths: Sequence[int]) -> Iterator["Text"]:
    from rich.text import Text

    cells = [wrapped(cell, width) for cell, width in _with(row, widths)]
    for at in range(max(map(len, cells))):
        parts = []
        for column, lines, width in zip(columns, cells, widths, strict=True):
            part = Text(lines[at] if at < len(lines) else "", style=column.style)
            part.align("right" if column.numbers else "left", width)
            parts.append(part)
        line = Text(" " * _GAP).join(parts)
        line.rstrip()
        yield line


def _records(columns: Sequence[Column], rows: Sequence[Sequence[str]], width: int) -> Iterator["Text"]:
    from rich.text import Text

    ahead = max(len(column.title) for column in columns) + _GAP
    for row in rows:
        yield Text("")
        for column, cell in zip(columns, row, strict=True):
            for number, line in enumerate(wrapped(cell, max(1, width - ahead)) if cell else ()):
                title = "" if number else column.title
                yield Text.assemble((title.ljust(ahead), _RULE), (line.strip(), column.style))
