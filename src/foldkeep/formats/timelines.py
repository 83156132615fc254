"""The media that timelines use: OpenTimelineIO, and CMX 3600 edit decision lists (as SMPTE 258M describes them)."""

import json
import os
import re
from collections.abc import Iterator
from typing import Any

from foldkeep.model import CatalogEntry

from .reading import lines_of, read_whole, text_of

_NO_OTIO = "it is no OpenTimelineIO document"
_LIBRARY_NUMBER = re.compile(r"[:\[,]\s*-?Inf\s*[,}\]]")
_MOST_IMAGES = 1_000_000
EDL_FILE = re.compile(r"\*?\s*(?:SOURCE FILE|MEDIA FILE|FROM FILE|TO FILE)\s*:\s*(.+?)\s*", re.IGNORECASE)
EDL_NAME = re.compile(r"\*?\s*(?:FROM|TO) CLIP NAME\s*:\s*(.+?)\s*", re.IGNORECASE)

_EDL_EVENT = re.compile(r"\s*(\d{3,6})\s+(\S+)\s+\S+\s+(?:C|D|W\d+|K\s?[BO]?)\s.*")
_NO_REELS = frozenset(("AX", "BL", "BLK", "BLACK"))  # a source of no tape, and black


def read_otio(path: str) -> Iterator[CatalogEntry]:
    """Yield the media that an OpenTimelineIO document refers to; references that are missing in it are passed by.

    Of ``.otio``, which is JSON, only the references are kept while it is read: a long timeline as objects would take
    half a gigabyte. Bundles (``.otioz``, ``.otiod``) are opened by the library, and so is what writes numbers as it
    alone understands them.

    Raises OSError or ValueError if it cannot be read.
    """
    if os.path.splitext(path)[1] == ".otio":
        text = text_of(read_whole(path))
        try:
            yield from _references(text)
            return
        except ValueError:
            if _LIBRARY_NUMBER.search(text) is None:
                raise
    yield from _references(_as_the_library_writes(path))


def _as_the_library_writes(path: str) -> str:
    import opentimelineio as otio

    try:
        return str(otio.adapters.write_to_string(otio.adapters.read_from_file(path), "otio_json"))
    except OSError:
        raise
    except Exception as error:  # the library raises many kinds for broken documents
        raise ValueError(f"{_NO_OTIO}: {' '.join(str(error).split())[:160]}") from error


def _references(text: str) -> list[CatalogEntry]:
    """Return the media in a document after the OpenTimelineIO file format specification."""
    found: list[CatalogEntry] = []

    def note(value: dict[str, Any]) -> object:
        schema = str(value.get("OTIO_SCHEMA", "")).partition(".")[0]
        if schema in ("RationalTime", "TimeRange"):
            return value
        urls: list[object] = []
        if schema == "ExternalReference":
            urls = [value.get("target_url")]
        elif schema == "ImageSequenceReference":
            urls = [*frames_of(value)]
        for url in urls:
            if isinstance(url, str) and url:
                found.append(CatalogEntry(url, f"media {len(found) + 1}"))
        return schema or None

    try:
        root = json.loads(text, object_hook=note)
    except (ValueError, RecursionError) as error:
        raise ValueError(f"{_NO_OTIO}: {error}") from error
    if not isinstance(root, str):
        raise ValueError(f"{_NO_OTIO}: it has no OTIO_SCHEMA")
    return found


def frames_of(value: dict[str, Any]) -> Iterator[str]:
    """Yield the files of an image sequence: prefix, number with leading zeros, suffix."""
    base, prefix, suffix = (str(value.get(name) or "") for name in ("target_url_base", "name_prefix", "name_suffix"))
    stem = base if base.endswith("/") or not base else base + "/"
    try:
        first, step, zeros = (int(value.get(name) or 0) for name in ("start_frame", "frame_step", "frame_zero_padding"))
        length = value["available_range"]["duration"]
        images = round(length["value"] * value["rate"] / length["rate"]) // max(1, step)
    except (KeyError, TypeError, ValueError, ZeroDivisionError, OverflowError):
        return
    for number in range(min(images, _MOST_IMAGES)):
        yield f"{stem}{prefix}{str(first + number * max(1, step)).zfill(zeros)}{suffix}"


def read_edl(path: str) -> Iterator[CatalogEntry]:
    """Yield the media that a CMX 3600 list names: files by path, clips by name; reels where an event has neither.

    Raises OSError or ValueError if it cannot be read.
    """
    event, reels = "", list[CatalogEntry]()
    with open(path, "rb") as file:
        for number, line in lines_of(file):
            where, text = f"line {number}", line.strip()
            if line_of := _EDL_EVENT.fullmatch(text):
                if line_of[1] != event:
                    yield from reels
                    event, reels = line_of[1], []
                if line_of[2].upper() not in _NO_REELS:
                    reels.append(CatalogEntry(line_of[2].rstrip("."), where, by_name=True))
            elif found := EDL_FILE.fullmatch(text):
                reels = []
                yield CatalogEntry(found[1], where, by_name=os.sep not in found[1] and "\\" not in found[1])
            elif found := EDL_NAME.fullmatch(text):
                reels = []
                yield CatalogEntry(found[1], where, by_name=True)
    yield from reels
