"""Catalogues as CSV tables (RFC 4180) with a header."""

import csv
from collections.abc import Iterator
from itertools import chain, islice
from typing import BinaryIO, NamedTuple

from foldkeep.model.catalogs import CatalogEntry

from ..reading import lines_of, opened_file
from .records import LOOKED_AT, entry_of, path_field


class Table(NamedTuple):
    """A table while it is read: what stands between cells, its header, the column of the path, and the other rows."""

    separator: str
    header: list[str]
    at: int
    rows: Iterator[list[str]]


def open_table(file: BinaryIO, field: str = "") -> Table:
    """Begin to read a table; `field` names the column with the path, which is else found by its content.

    Raises OSError or ValueError if it cannot be read, or has no such column.
    """
    lines = (line + "\n" for _, line in lines_of(file))
    first = next(lines, "")
    separator = max(",;\t", key=first.count)
    header = next(_rows(csv.reader([first], delimiter=separator)), [])
    if field and field not in header:
        raise ValueError(f"it has no column {field!r}; there are {', '.join(header)}")
    rows = _rows(csv.reader(lines, delimiter=separator))
    head = list(islice(rows, LOOKED_AT))
    name = field or path_field(dict(zip(header, row, strict=False)) for row in head)
    return Table(separator, header, header.index(name), chain(head, rows))


def _rows(reader: Iterator[list[str]]) -> Iterator[list[str]]:
    try:
        yield from reader
    except csv.Error as error:
        raise ValueError(f"it is no table: {error}") from error


def read_table_catalog(path: str, field: str = "") -> Iterator[CatalogEntry]:
    """Yield the files of a table; arguments and errors as for `open_table`."""
    with opened_file(path) as file:
        table = open_table(file, field)
        for number, row in enumerate(table.rows, start=2):
            if len(row) > table.at and (text := row[table.at].strip()):
                yield entry_of(text, f"row {number}", dict(zip(table.header, row, strict=False)))
