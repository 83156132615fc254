"""How a mess is written down, made on the disk, and compared with what `keep` proposes."""

import csv
import io
import json
import os
import re
import shlex
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from PIL import Image

from foldkeep.demo.pictures import draw_kites
from foldkeep.demo.sounds import encoded, tune
from harness.desks import Desk

_RANGE = re.compile(r"\{(\d+)-(\d+)\}")
_DAY = datetime(2025, 6, 13, 12, tzinfo=UTC)


@dataclass(frozen=True)
class Mess:
    """A library and its right answer.

    Attributes
    ----------
    name
        What is in it, in a few words.
    files
        A line each: ``path = content``, with ``@2024-05-01`` for another day of change. ``{1-4}`` makes lines of it, in
        the path and in the content alike. A content of ``otio: a.mp4 b.mp4`` is a timeline that uses those,
        ``xmp: 3`` a sidecar with that rating, ``photo: 7 rated 4 Kites`` a picture with words, ``tune: 3 title=March``
        a recording with tags, ``=`` alone an empty
        line's worth of text. A path that begins with ``ROLE:`` lies in a place of that role.
    goes
        The paths that a person would give up, in the same form; all else stays.
    why
        The reason, as that person would say it.
    words
        What is said on the command line of `keep`.
    """

    name: str
    files: str
    goes: str
    why: str
    words: str = ""


def expanded(text: str) -> Iterator[str]:
    """Yield the lines of a text, one for each number of a range in them."""
    for line in filter(None, map(str.strip, text.splitlines())):
        if found := _RANGE.search(line):
            for number in range(int(found[1]), int(found[2]) + 1):
                yield _RANGE.sub(str(number), line)
        else:
            yield line


def _content(path: Path, said: str) -> bytes:
    word, _, rest = said.partition(":")
    if word == "otio":
        return _timeline(rest.split())
    if word == "xmp":
        return (
            '<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
            f'<rdf:Description rdf:about="" xmlns:xmp="http://ns.adobe.com/xap/1.0/" xmp:Rating="{rest.strip()}"/>'
            "</rdf:RDF></x:xmpmeta>"
        ).encode()
    if word == "photo":
        return _photo(*rest.split(maxsplit=3))
    if word == "tune":
        seed, *words = rest.split()
        return encoded(tune([int(seed) % 7, 4, 7, int(seed)]), "flac", dict(word.split("=") for word in words))
    return (said or path.name).encode() * 50


def _photo(seed: str, word: str = "", rating: str = "", title: str = "") -> bytes:
    """Return a small picture, turned by a tag if its word is ``turned``, or with a rating and perhaps a title."""
    exif = Image.Exif()
    if word == "turned":
        exif[0x0112] = 6
    elif word:
        exif[0x4746] = int(rating)
    if title:
        exif[0x010E] = title
    stream = io.BytesIO()
    draw_kites(int(seed), (120, 80)).convert("RGB").save(stream, "JPEG", exif=exif)
    return stream.getvalue()


def _timeline(media: list[str]) -> bytes:
    clips = [
        {
            "OTIO_SCHEMA": "Clip.2",
            "name": Path(name).stem,
            "media_references": {
                "DEFAULT_MEDIA": {"OTIO_SCHEMA": "ExternalReference.1", "target_url": name, "metadata": {}}
            },
            "active_media_reference_key": "DEFAULT_MEDIA",
        }
        for name in media
    ]
    track = {"OTIO_SCHEMA": "Track.1", "name": "V1", "kind": "Video", "children": clips}
    stack = {"OTIO_SCHEMA": "Stack.1", "name": "tracks", "children": [track]}
    return json.dumps({"OTIO_SCHEMA": "Timeline.1", "name": "cut", "tracks": stack}).encode()


def _place_of(desk: Desk, path: str) -> Path:
    role, colon, below = path.partition(":")
    return desk.top / role / below if colon else desk.place / path


def make(mess: Mess, desk: Desk) -> None:
    """Make the files of a mess and have them scanned, each place in its role."""
    roles = set()
    for line in expanded(mess.files):
        path, _, said = map(str.strip, line.partition(" = "))
        said, _, day = map(str.strip, said.partition("@"))
        role, colon, _ = path.partition(":")
        roles |= {role} if colon else set()
        target = _place_of(desk, path)
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(_content(target, said))
        moment = (datetime.fromisoformat(day).replace(tzinfo=UTC) if day else _DAY).timestamp()
        os.utime(target, (moment, moment))
    assert desk.run("scan", desk.place).status == 0
    for role in sorted(roles):
        assert desk.run("scan", desk.top / role, "--role", role).status == 0


def proposed(mess: Mess, desk: Desk) -> dict[str, str]:
    """Return the reason of each path that `keep` proposes to fold."""
    words = [word.replace("PLACE", str(desk.place)) for word in shlex.split(mess.words)]
    answer = desk.run("keep", "-o", desk.docket, *words)
    assert answer.status == 0, answer
    with desk.docket.open(newline="") as stream:
        return {row["path"]: row["reason"] for row in csv.DictReader(stream) if row["action"] == "fold"}


def wanted(mess: Mess, desk: Desk) -> set[str]:
    """Return the paths that a person would give up."""
    return {str(_place_of(desk, line)) for line in expanded(mess.goes)}
