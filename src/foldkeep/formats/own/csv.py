"""CSV after RFC 4180 that a spreadsheet can open and save without harm, to it or to its user."""

import csv
import io
import re
from collections.abc import Iterable, Iterator, Sequence
from typing import TextIO

from foldkeep.model.work import in_blocks

from .writing import new_file

# A cell that begins so is run as a formula by spreadsheets. Cells that begin with apostrophes before such
# a character get one more as well, so that taking one away always gives back what was written.
_TAKEN_FOR_FORMULA = re.compile(r"'*[=+\-@\t\r]")
_SUSPECT = frozenset("'=+-@\t\r")
_AT_ONCE = 1000


def defuse(cell: str) -> str:
    """Return a cell that no spreadsheet takes for a formula; `refuse` gives the original back."""
    return "'" + cell if cell[:1] in _SUSPECT and _TAKEN_FOR_FORMULA.match(cell) else cell


def refuse(cell: str) -> str:
    """Return what `defuse` was given."""
    return cell[1:] if cell.startswith("'") and _TAKEN_FOR_FORMULA.match(cell) else cell


def write_table(stream: TextIO, header: Sequence[str] | None, rows: Iterable[Sequence[str]]) -> None:
    """Write a header, unless the table was begun, and rows of cells; the stream must be open with ``newline=""``.

    The standard library's writer looks at each character twice, and takes three times as long.
    """
    if header is not None:
        stream.write(_line(header))
    for block in in_blocks(map(_line, rows), _AT_ONCE):
        stream.write("".join(block))


def _line(row: Sequence[str]) -> str:
    """Return a record (RFC 4180, 2) as `csv.writer` does, of two or more cells."""
    cells = [defuse(cell) for cell in row]
    line = ",".join(cells)
    if line.count(",") >= len(cells) or '"' in line or "\n" in line or "\r" in line:
        line = ",".join([_quoted(cell) for cell in cells])
    return line + "\r\n"


def _quoted(cell: str) -> str:
    if "," in cell or '"' in cell or "\n" in cell or "\r" in cell:
        return '"' + cell.replace('"', '""') + '"'
    return cell


def write_new_file(path: str, header: Sequence[str], rows: Iterable[Sequence[str]]) -> str:
    """Write a table to a new file and return where: `path`, or a free name beside it if that one is taken.

    Raises
    ------
    UnusableInput
        If it cannot be written; what was begun is taken away again.
    """
    with new_file(path) as (target, stream), io.TextIOWrapper(stream, encoding="utf-8", newline="") as text:
        write_table(text, header, rows)
    return target


def read_table(stream: TextIO, columns: Sequence[str]) -> Iterator[tuple[int, dict[str, str]]]:
    """Yield the line number and the named cells of every row that is not empty.

    The columns may stand in any order and have others between them; commas, semicolons and tabs are
    understood as separators, since spreadsheets save with what their user's country uses.

    Raises
    ------
    ValueError
        If a column is missing from the header, or a row is no CSV or has too few cells.
    """
    # A field may be as long as a path, and a path as deep as a disk allows.
    csv.field_size_limit(2**31 - 1)
    first = stream.readline().removeprefix("\ufeff")
    separator = max(",;\t", key=first.count)
    header = next(csv.reader([first], delimiter=separator), [])
    missing = [column for column in columns if column not in header]
    if missing:
        raise ValueError(f"the header has no column {missing[0]!r}")
    wanted = [(column, header.index(column)) for column in columns]
    last = max(at for _, at in wanted)
    reader = csv.reader(stream, delimiter=separator)
    try:
        for row in reader:
            if not any(row):
                continue
            if len(row) <= last:
                raise ValueError(f"line {reader.line_num + 1} has {len(row)} cells and needs {len(header)}")
            yield (
                reader.line_num + 1,
                {column: row[at] if row[at][:1] != "'" else refuse(row[at]) for column, at in wanted},
            )
    except csv.Error as error:
        raise ValueError(f"line {reader.line_num + 1}: {error}") from error
