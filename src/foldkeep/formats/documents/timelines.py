"""The media that timelines use: OpenTimelineIO, and CMX 3600 edit decision lists (as SMPTE 258M describes them)."""

import json
import os
import re
from collections.abc import Iterator
from typing import Any

from foldkeep.model.catalogs import CatalogEntry
from foldkeep.model.extras import extra_of

from ..reading import lines_of, opened_file, read_whole, text_of

_NO_OTIO = "it is no OpenTimelineIO document"
_LIBRARY_NUMBER = re.compile(r"[:\[,]\s*-?Inf\s*[,}\]]")
_MOST_IMAGES, _MOST_ZEROS = 1_000_000, 20
_KNOWN = frozenset(("ExternalReference", "ImageSequenceReference"))
_SAID = {
    "ExternalReference": ("OTIO_SCHEMA", "target_url"),
    "ImageSequenceReference": ("OTIO_SCHEMA", "target_url_base", "name_prefix", "name_suffix"),
    "Clip": ("OTIO_SCHEMA", "name", "media_reference", "active_media_reference_key"),
}
"""What of each schema is read as what it is, not as text."""
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
    try:
        import opentimelineio as otio
    except ModuleNotFoundError as error:
        raise ValueError(str(extra_of(error) or error)) from error
    try:
        return str(otio.adapters.write_to_string(otio.adapters.read_from_file(path), "otio_json"))
    except OSError:
        raise
    except Exception as error:  # the library raises many kinds for broken documents
        raise ValueError(f"{_NO_OTIO}: {' '.join(str(error).split())[:160]}") from error


def otio_mentions(path: str) -> tuple[list[CatalogEntry], list[str], list[str]]:
    """Return all that an OpenTimelineIO document mentions: references, other texts, and no reels.

    Of a clip whose medium is missing in it the name is a reference; what stands in metadata, in references of kinds
    that are not known, and in sequences whose frames cannot be told, is text.

    Raises OSError or ValueError if it cannot be read.
    """
    texts: list[str] = []
    if os.path.splitext(path)[1] == ".otio":
        text = text_of(read_whole(path))
        try:
            return _references(text, texts), texts, []
        except ValueError:
            if _LIBRARY_NUMBER.search(text) is None:
                raise
            texts.clear()
    return _references(_as_the_library_writes(path), texts), texts, []


def _references(text: str, texts: list[str] | None = None) -> list[CatalogEntry]:
    """Return the media in a document after the OpenTimelineIO file format specification; add other texts to `texts`."""
    found: list[CatalogEntry] = []

    def refer(url: object, *, by_name: bool = False) -> None:
        if isinstance(url, str) and url:
            found.append(CatalogEntry(url, f"media {len(found) + 1}", by_name=by_name))

    def note(value: dict[str, Any]) -> object:
        schema = str(value.get("OTIO_SCHEMA", "")).partition(".")[0]
        if schema in ("RationalTime", "TimeRange"):
            return value
        said = set(_SAID.get(schema, ()))
        if schema == "ExternalReference":
            refer(value.get("target_url"))
        elif schema == "ImageSequenceReference":
            images = list(frames_of(value))
            for url in images:
                refer(url)
            if texts is not None and not images:
                texts.append(f"{value.get('name_prefix') or ''}####{value.get('name_suffix') or ''}")
        elif schema == "Clip" and texts is not None and _KNOWN.isdisjoint(_media_of(value)):
            refer(value.get("name"), by_name=True)
        if texts is not None:
            texts.extend(text for name, part in value.items() if name not in said for text in _strings(part))
            texts.extend(value if not schema else ())
        return schema or None

    try:
        root = json.loads(text, object_hook=note)
    except (ValueError, RecursionError) as error:
        raise ValueError(f"{_NO_OTIO}: {error}") from error
    if not isinstance(root, str):
        raise ValueError(f"{_NO_OTIO}: it has no OTIO_SCHEMA")
    return found


def _media_of(clip: dict[str, Any]) -> set[str]:
    """Return the kinds of the references of a clip, which are all that is left of them."""
    several = clip.get("media_references")
    found = [clip.get("media_reference"), *(several.values() if isinstance(several, dict) else ())]
    return {str(kind) for kind in found}


def _strings(value: object) -> Iterator[str]:
    ahead = [value]
    while ahead:
        each = ahead.pop()
        if isinstance(each, str):
            yield each
        elif isinstance(each, list):
            ahead += each


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
    if zeros > _MOST_ZEROS:
        return
    for number in range(min(images, _MOST_IMAGES)):
        image = first + number * max(1, step)
        yield f"{stem}{prefix}{str(image).zfill(zeros)}{suffix}"
        if image < 0:  # some count the sign among the digits
            yield f"{stem}{prefix}-{str(-image).zfill(zeros)}{suffix}"


def read_edl(path: str) -> Iterator[CatalogEntry]:
    """Yield the media that a CMX 3600 list names: files by path, clips by name; reels where an event has neither.

    Raises OSError or ValueError if it cannot be read.
    """
    event, reels = "", list[CatalogEntry]()
    with opened_file(path) as file:
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


def edl_mentions(path: str) -> tuple[list[CatalogEntry], list[str], list[str]]:
    """Return all that a CMX 3600 list mentions: files and clips, its comments as text, and its reels.

    Raises OSError or ValueError if it cannot be read.
    """
    comments: list[str] = []
    reels: dict[str, None] = {}
    with opened_file(path) as file:
        for _, line in lines_of(file):
            if line_of := _EDL_EVENT.fullmatch(line.strip()):
                if line_of[2].upper() not in _NO_REELS:
                    reels[line_of[2].rstrip(".")] = None
            elif not (EDL_FILE.fullmatch(line.strip()) or EDL_NAME.fullmatch(line.strip())):
                comments.append(line)
    return list(read_edl(path)), comments, list(reels)
