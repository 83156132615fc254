"""Catalogues as CSV tables (RFC 4180) with a header."""

import csv
from collections.abc import Iterator
from itertools import chain, islice

from foldkeep.model import CatalogEntry

from .reading import lines_of
from .records import entry_of, path_field

_LOOKED_AT = 200


def read_table_catalog(path: str, field: str = "") -> Iterator[CatalogEntry]:
    """Yield the files of a table; `field` names the column with the path, which is else found by its content.

    Raises OSError or ValueError if it cannot be read, or has no such column.
    """
    with open(path, "rb") as file:
        lines = (line + "\n" for _, line in lines_of(file))
        first = next(lines, "")
        separator = max(",;\t", key=first.count)
        header = next(csv.reader([first], delimiter=separator), [])
        if field and field not in header:
            raise ValueError(f"it has no column {field!r}; there are {', '.join(header)}")
        rows = csv.reader(lines, delimiter=separator)
        try:
            head = [dict(zip(header, row, strict=False)) for row in islice(rows, _LOOKED_AT)]
            name = field or path_field(head)
            records = chain(head, (dict(zip(header, row, strict=False)) for row in rows))
            for number, record in enumerate(records, start=2):
                if text := record.get(name, "").strip():
                    yield entry_of(text, f"row {number}", record)
        except csv.Error as error:
            raise ValueError(f"it is no table: {error}") from error
