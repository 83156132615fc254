"""Documents of projects as programs write them."""

import contextlib
import html
import json
import sqlite3
from urllib.parse import quote


def xml(paths: list[str], encoding: str = "UTF-8") -> str:
    clips = "".join(f'<clip src="{html.escape(path)}"/>' for path in paths)
    return f'<?xml version="1.0" encoding="{encoding}"?>\n<edit>{clips}</edit>'


def database(cells: list[object], encoding: str = "UTF-8", view: bool = False) -> bytes:
    with contextlib.closing(sqlite3.connect(":memory:")) as made, made:
        made.execute(f"PRAGMA encoding = '{encoding}'")
        made.execute("CREATE TABLE clips (folder, name)")
        made.executemany("INSERT INTO clips VALUES ('x', ?)", ((cell,) for cell in cells))
        if view:  # the suffix stands in the view alone
            made.execute("CREATE TABLE stems (stem, suffix)")
            made.executemany("INSERT INTO stems VALUES (?, ?)", (str(cell).rsplit(".", 1) for cell in cells))
            made.execute("DELETE FROM clips")
            made.execute("CREATE VIEW files AS SELECT stem || '.' || suffix FROM stems")
        return made.serialize()


def otio(children: list[dict]) -> bytes:
    track = {"OTIO_SCHEMA": "Track.1", "children": children}
    return json.dumps({"OTIO_SCHEMA": "Timeline.1", "tracks": {"OTIO_SCHEMA": "Stack.1", "children": [track]}}).encode()


def clip(**values: object) -> dict:
    return {"OTIO_SCHEMA": "Clip.2", "name": "", **values}


def referring(paths: list[str]) -> list[dict]:
    return [
        clip(media_references={"main": {"OTIO_SCHEMA": "ExternalReference.1", "target_url": quote(path)}})
        for path in paths
    ]


def edl(paths: list[str], word: str = "SOURCE FILE") -> bytes:
    events = "001  AX       V     C        00:00:00:00 00:00:02:00 01:00:00:00 01:00:02:00\n"
    return ("TITLE: cut\n" + "".join(f"{events}* {word}: {path}\n" for path in paths)).encode()
