"""Catalogues for tests, in every form."""

import contextlib
import csv
import io
import json
import os
import sqlite3
from pathlib import Path
from urllib.parse import quote

import opentimelineio as otio

from harness.desks import Desk


def uri(path: str) -> str:
    return "file://" + quote(os.fsencode(path))


def written(form: str, top: Path, paths: list[str]) -> str:
    """Write a catalogue of paths in a form, and return it as a source."""
    name, raw = top / f"catalogue.{form}", [os.fsencode(path) for path in paths]
    match form:
        case "list":
            name.write_bytes(b"".join(path + b"\0" for path in raw))
        case "csv":
            table = io.StringIO()
            csv.writer(table).writerows(
                [("Id", "Where it is", "Rating"), *((n, path, 3) for n, path in enumerate(paths))]
            )
            name.write_bytes(table.getvalue().encode("utf-8", "surrogateescape"))
        case "json":
            records = [{"id": n, "file": {"path": uri(path)}, "tags": ["kite"]} for n, path in enumerate(paths)]
            name.write_text(json.dumps({"version": 4, "pictures": records}))
        case "jsonl":
            name.write_text("".join(json.dumps({"path": uri(path)}) + "\n" for path in paths))
        case "m3u":
            name.write_bytes(b"#EXTM3U\n" + b"".join(b"#EXTINF:1,x\n" + path + b"\n" for path in raw))
        case "pls":
            files = b"".join(b"File%d=%s\nTitle%d=x\n" % (n, path, n) for n, path in enumerate(raw, start=1))
            name.write_bytes(b"[playlist]\n" + files)
        case "xspf":
            tracks = "".join(f"<track><location>{uri(path)}</location></track>" for path in paths)
            head = '<playlist version="1" xmlns="http://xspf.org/ns/0/">'
            name.write_text(f"{head}<trackList>{tracks}</trackList></playlist>")
        case "otio":
            track = otio.schema.Track()
            for path in paths:
                track.append(otio.schema.Clip(media_reference=otio.schema.ExternalReference(target_url=uri(path))))
            track.append(otio.schema.Clip(media_reference=otio.schema.MissingReference()))
            timeline = otio.schema.Timeline()
            timeline.tracks.append(track)
            otio.adapters.write_to_file(timeline, str(name))
        case "edl":
            name.write_bytes(
                b"TITLE: kites\n" + b"".join(b"001  AX V C 0 1 0 1\n* SOURCE FILE: " + path + b"\n" for path in raw)
            )
        case "sqlite":
            with contextlib.closing(sqlite3.connect(name)) as database, database:
                database.execute("CREATE TABLE photos (id INTEGER, place BLOB)")
                database.executemany("INSERT INTO photos VALUES (?, ?)", enumerate(raw))
            database.close()
    return f"{form}:{name}"


def library(desk: Desk) -> list[str]:
    """Make a small library and return the paths that a catalogue of it knows."""
    for number in range(8):
        desk.write(f"shoot/WKD_{number}.jpg", b"%d" % number * 40)
    desk.write("shoot/été.jpg", b"e" * 30)
    desk.write("inbox/WKD_3 (1).jpg", b"3" * 40)
    desk.write("inbox/WKD_4.jpg", b"another kite")
    desk.write("inbox/new.jpg", b"n" * 50)
    desk.write("inbox/pair 1.mov", b"p" * 60)
    desk.write("inbox/pair 2.mov", b"p" * 60)
    desk.write("shoot/WKD_1.xmp", b"<x/>")
    desk.write("shoot/WKD_9.xmp", b"<x>9</x>")
    os.link(desk.place / "shoot/WKD_5.jpg", desk.place / "inbox/link.jpg")
    desk.run("scan", desk.place)
    return [str(desk.place / f"shoot/WKD_{number}.jpg") for number in range(8)] + [str(desk.place / "shoot/été.jpg")]
