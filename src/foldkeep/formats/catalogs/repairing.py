"""Corrected copies of catalogues, each in its own form: paths mended, entries dropped, everything else as it was.

Entries that get a path which nothing proves are marked where the form has room for a word: a comment in a playlist, a
column of a table, a field of a record.
"""

import csv
import io
import json
import re
from collections.abc import Callable, Collection, Iterator, Mapping
from typing import Any

from foldkeep.model import UnusableInput, visible
from foldkeep.model.catalogs import CatalogSource
from foldkeep.model.work import reason_of

from ..documents.timelines import EDL_FILE, EDL_NAME, frames_of
from ..own.writing import new_file
from ..reading import lines_of, opened_file, read_whole, text_of
from .jsons import field_of, longest_list, parsed_lines, set_at
from .lists import list_parts
from .playlists import PLS_FILE, URL, XSPF, parse_xspf, xspf_bases, xspf_locations
from .tables import open_table

Mend = Mapping[str, str | None]
"""For entries, by where they are: the path that they get, or None if they are dropped. All others stay."""

_PLS_NUMBERED = re.compile(r"\s*(file|title|length)(\d+)\s*=(.*)", re.IGNORECASE)
_PLS_COUNT = re.compile(r"\s*numberofentries\s*=.*", re.IGNORECASE)


PERHAPS = "perhaps_moved"
_SAID = "perhaps moved here: found by its name alone"


def write_repaired(source: CatalogSource, mend: Mend, path: str, perhaps: Collection[str] = ()) -> str:
    """Write a corrected copy of a catalogue and return where: `path`, or a free name beside it.

    Parameters
    ----------
    perhaps
        Entries, by where they are, of which the new path is marked as one that nothing proves.

    Raises
    ------
    UnusableInput
        If it cannot be read or written, or has a form that belongs to another program alone.
    """
    writers: dict[str, Callable[[str, Mend], Iterator[str]]] = {
        "list": _list,
        "csv": lambda name, mended: _csv(name, mended, source.field, perhaps),
        "json": lambda name, mended: _json(name, mended, source.field, perhaps),
        "jsonl": lambda name, mended: _json_lines(name, mended, source.field, perhaps),
        "m3u": lambda name, mended: _m3u(name, mended, perhaps),
        "pls": _pls,
        "xspf": _xspf,
        "otio": _otio,
        "edl": _edl,
    }
    if source.form not in writers or source.path.endswith((".otioz", ".otiod")):
        raise UnusableInput(
            f"a corrected copy of {visible(source.path)} cannot be written",
            "only the program that it belongs to can; write its files to a list with --adopt",
        )
    try:
        with new_file(path) as (target, stream):
            for part in writers[source.form](source.path, mend):
                stream.write(part.encode("utf-8", "surrogateescape"))
    except (ValueError, RecursionError) as error:
        raise UnusableInput(f"cannot repair {visible(source.path)}: {error}", "mend that first") from error
    except OSError as error:
        raise UnusableInput(f"cannot read {visible(source.path)}: {reason_of(error)}", "name another") from error
    return target


def _list(path: str, mend: Mend) -> Iterator[str]:
    for where, text, end in list_parts(path):
        mended = mend.get(where, text)
        if mended is not None:
            yield mended + end


def _lines(path: str, mend: Mend, is_entry: Callable[[str], bool], mended: Callable[[str, str], str]) -> Iterator[str]:
    """Yield the lines of a text; those that are entries mended, or not at all."""
    for number, line in _with_numbers(path):
        where = f"line {number}"
        if not is_entry(line) or where not in mend:
            yield line + "\n"
        elif (text := mend[where]) is not None:
            yield mended(line, text) + "\n"


def _m3u(path: str, mend: Mend, perhaps: Collection[str]) -> Iterator[str]:
    """Yield the lines that stay; those above an entry say something of it, and go with it."""
    above = ""
    for number, text in _with_numbers(path):
        if not text.strip() or text.lstrip().startswith("#"):
            above += text + "\n"
            continue
        found = mend.get(f"line {number}", text)
        head = above if found is not None else "".join(each for each in above.splitlines(True) if "#EXTM3U" in each)
        head += f"# {_SAID}\n" * (f"line {number}" in perhaps)
        yield head + (found + "\n" if found is not None else "")
        above = ""
    yield above


def _with_numbers(path: str) -> Iterator[tuple[int, str]]:
    with opened_file(path) as file:
        yield from lines_of(file)


def _edl(path: str, mend: Mend) -> Iterator[str]:
    def mended(line: str, text: str) -> str:
        return line.partition(":")[0] + ": " + text

    def is_entry(line: str) -> bool:
        return bool(EDL_FILE.fullmatch(line.strip()) or EDL_NAME.fullmatch(line.strip()))

    yield from _lines(path, mend, is_entry, mended)


def _pls(path: str, mend: Mend) -> Iterator[str]:
    """Yield the lines that stay, with new numbers, since those have no gaps."""
    dropped: set[int] = set()
    texts: dict[int, str] = {}
    lines = list(_with_numbers(path))
    for number, line in lines:
        found = _PLS_NUMBERED.fullmatch(line)
        where = f"line {number}"
        if found and PLS_FILE.fullmatch(line) and where in mend:
            text = mend[where]
            if text is None:
                dropped.add(int(found[2]))
            else:
                texts[number] = text
    kept = sorted({int(f[2]) for _, line in lines if (f := _PLS_NUMBERED.fullmatch(line))} - dropped)
    anew = {old: new for new, old in enumerate(kept, start=1)}
    for number, line in lines:
        found = _PLS_NUMBERED.fullmatch(line)
        if found is None:
            yield f"NumberOfEntries={len(kept)}\n" if _PLS_COUNT.fullmatch(line) else line + "\n"
        elif int(found[2]) in anew:
            yield f"{found[1]}{anew[int(found[2])]}={texts.get(number, found[3])}\n"


def _csv(path: str, mend: Mend, field: str, perhaps: Collection[str]) -> Iterator[str]:
    with opened_file(path) as file:
        table = open_table(file, field)
        text = io.StringIO()
        writer = csv.writer(text, delimiter=table.separator)
        writer.writerow([*table.header, *([PERHAPS] if perhaps else [])])
        for number, row in enumerate(table.rows, start=2):
            where = f"row {number}"
            if mend.get(where, "") is not None:
                mended = [*row[: table.at], mend[where], *row[table.at + 1 :]] if where in mend else row
                writer.writerow([*mended, *(["yes" if where in perhaps else ""] if perhaps else [])])
    yield text.getvalue()


def _json(path: str, mend: Mend, field: str, perhaps: Collection[str]) -> Iterator[str]:
    document = json.loads(text_of(read_whole(path)))
    records = longest_list(document)
    records[:] = list(_records(records, mend, field, "entry", perhaps))
    yield json.dumps(document, indent=1) + "\n"


def _json_lines(path: str, mend: Mend, field: str, perhaps: Collection[str]) -> Iterator[str]:
    with opened_file(path) as file:
        records = list(parsed_lines(file))
    for record in _records(records, mend, field, "line", perhaps):
        yield json.dumps(record) + "\n"


def _records(records: list[Any], mend: Mend, field: str, noun: str, perhaps: Collection[str]) -> Iterator[Any]:
    name = field_of(records, field)
    for number, record in enumerate(records, start=1):
        text = mend.get(f"{noun} {number}", "")
        if text is None:
            continue
        if text and isinstance(record, dict):
            set_at(record, name, text)
            if f"{noun} {number}" in perhaps:
                record[PERHAPS] = True
        yield text if text and isinstance(record, str) else record


def _xspf(path: str, mend: Mend) -> Iterator[str]:
    from urllib.parse import quote
    from xml.etree.ElementTree import register_namespace, tostring

    root = parse_xspf(path)
    if xspf_bases(root):
        raise ValueError("its locations are relative to an xml:base, which is not corrected")
    register_namespace("", XSPF[1:-1])
    above = {child: parent for parent in root.iter() for child in parent}
    for where, track, location in list(xspf_locations(root)):
        text = mend.get(where, "")
        if text is None:
            track.remove(location)
            if track.find(f"{XSPF}location") is None:
                above[track].remove(track)
        elif text:
            location.text = text if URL.match(text) else quote(text.encode("utf-8", "surrogateescape"))
    yield '<?xml version="1.0" encoding="UTF-8"?>\n' + tostring(root, encoding="unicode") + "\n"


def _otio(path: str, mend: Mend) -> Iterator[str]:
    """Make dropped references missing ones: the cut itself stays as it is."""
    count = 0

    def note(value: dict[str, Any]) -> dict[str, Any]:
        nonlocal count
        if str(value.get("OTIO_SCHEMA", "")).startswith("ExternalReference.") and value.get("target_url"):
            count += 1
            where = f"media {count}"
            if where in mend:
                text = mend[where]
                if text is None:
                    return {**value, "OTIO_SCHEMA": "MissingReference.1", "target_url": None}
                return {**value, "target_url": text}
        elif str(value.get("OTIO_SCHEMA", "")).startswith("ImageSequenceReference."):
            count += sum(1 for _ in frames_of(value))
        return value

    yield json.dumps(json.loads(text_of(read_whole(path)), object_hook=note), indent=4) + "\n"
