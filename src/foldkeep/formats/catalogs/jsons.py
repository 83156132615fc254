"""Catalogues as JSON (RFC 8259) or JSON Lines: lists of paths, or of objects that have one."""

import json
from collections.abc import Iterable, Iterator, Mapping
from functools import cache
from itertools import chain, islice
from typing import Any, BinaryIO

from foldkeep.model.catalogs import CatalogEntry

from ..reading import lines_of, opened_file, read_whole, text_of
from .records import LOOKED_AT, entry_of, path_field

_DEEPEST = 4


def read_json_catalog(path: str, field: str = "") -> Iterator[CatalogEntry]:
    """Yield the files of a JSON document: of the longest list in it.

    Parameters
    ----------
    field
        The key of each object that holds the path, or a JSON pointer to it (RFC 6901); found by its content when empty.

    Raises
    ------
    OSError, ValueError
        If it cannot be read, or no list of it has paths.
    """
    try:
        document = json.loads(text_of(read_whole(path)))
    except RecursionError as error:
        raise ValueError("it is nested too deeply") from error
    yield from _entries(longest_list(document), field, "entry")


def read_json_lines(path: str, field: str = "") -> Iterator[CatalogEntry]:
    """Yield the files of JSON Lines; arguments and errors as for `read_json_catalog`."""
    with opened_file(path) as file:
        yield from _entries(parsed_lines(file), field, "line")


def parsed_lines(file: BinaryIO) -> Iterator[Any]:
    """Yield the values of JSON Lines; raise ValueError for a line that is none."""
    for number, line in lines_of(file):
        if not line.strip():
            continue
        try:
            yield json.loads(line)
        except (ValueError, RecursionError) as error:
            raise ValueError(f"line {number} is not JSON: {error}") from error


def longest_list(document: Any) -> list[Any]:
    """Return the longest list in a document, not far below its top; raise ValueError if it has none."""
    found: list[Any] = []
    waiting = [(document, 0)]
    while waiting:
        value, depth = waiting.pop()
        if isinstance(value, list):
            found = max(found, value, key=len)
        elif isinstance(value, dict) and depth < _DEEPEST:
            waiting.extend((inner, depth + 1) for inner in value.values())
    if not found:
        raise ValueError("it has no list")
    return found


def _entries(records: Iterable[Any], field: str, noun: str) -> Iterator[CatalogEntry]:
    iterator = iter(records)
    head = list(islice(iterator, LOOKED_AT))
    name = field_of(head, field)
    for number, record in enumerate(chain(head, iterator), start=1):
        where = f"{noun} {number}"
        if isinstance(record, str):
            yield CatalogEntry(record, where)
        elif isinstance(record, dict):
            text = _at(record, name)
            if isinstance(text, str) and text:
                yield entry_of(text, where, record)


def field_of(records: Iterable[Any], field: str) -> str:
    """Return the key or JSON pointer of the path in records: `field`, or else the one that looks like it."""
    objects = [record for record in islice(records, LOOKED_AT) if isinstance(record, dict)]
    return field if field or not objects else path_field(map(_flat, objects))


def set_at(record: Any, field: str, text: str) -> None:
    """Put a text where a key or a JSON pointer points to in an object."""
    steps = _steps(field) if field.startswith("/") else [field]
    for step in steps[:-1]:
        record = record[int(step)] if isinstance(record, list) else record[step]
    if isinstance(record, list):
        record[int(steps[-1])] = text
    else:
        record[steps[-1]] = text


def _flat(record: Mapping[str, Any], above: str = "", depth: int = 0) -> dict[str, object]:
    """Return the texts in an object by key, those of objects in it by JSON pointer."""
    found: dict[str, object] = {}
    for key, value in record.items():
        pointer = f"{above}/{key.replace('~', '~0').replace('/', '~1')}"
        if isinstance(value, dict) and depth < _DEEPEST:
            found |= _flat(value, pointer, depth + 1)
        elif isinstance(value, str):
            found[pointer] = value
    return found


@cache
def _steps(pointer: str) -> list[str]:
    return [step.replace("~1", "/").replace("~0", "~") for step in pointer[1:].split("/")]


def _at(record: Any, field: str) -> Any:
    """Return what a key or a JSON pointer names in an object, or None."""
    if not field.startswith("/"):
        return record.get(field)
    for key in _steps(field):
        if isinstance(record, list) and key.isdecimal() and int(key) < len(record):
            record = record[int(key)]
        elif isinstance(record, dict):
            record = record.get(key)
        else:
            return None
    return record
