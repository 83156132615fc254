"""Stocks and catalogues made by code, for sizes that no test tree should have."""

import json
import os
import sqlite3
from collections.abc import Sequence
from contextlib import ExitStack
from hashlib import blake2b
from pathlib import Path
from urllib.parse import quote

from foldkeep.model import Role
from foldkeep.scan import add_place
from foldkeep.stock import Sighting, Stock


def fill_stock(path: str, count: int, here: Path | None = None) -> None:
    """Make a stock of `count` files in four places: a fifth of them in sets of two, some of three.

    Folders hold 250 files; copies lie in another place, whole shoots at a time, as they do in life. The places are on
    two drives that are away; or they are empty folders made in one that is `here`.
    """
    with Stock.open(path, create=True) as stock, ExitStack() as opened:
        if here:
            folders = [here / f"drive-{number}" for number in range(4)]
            for folder in folders:
                folder.mkdir(parents=True)
            places = [add_place(stock, bytes(folder)) for folder in folders]
        opened.enter_context(stock.transaction(flush=False))
        if not here:
            volumes = [stock.places.volume(f"uuid:{number}", f"drive {number}") for number in range(2)]
            places = [
                stock.places.add(b"/drives/%d" % number, Role.WORKING, f"drive-{number}", volumes[number % 2], number)
                for number in range(4)
            ]
        number = 0
        shoot = 0
        while number < count:
            shoot += 1
            homes = 1 if shoot % 9 else 3 if shoot % 27 == 0 else 2
            for copy in range(homes):
                place = places[(shoot + copy) % 4]
                folder_path = place.path + b"/%d/shoot %d" % (shoot % 1000, shoot)
                folder = stock.files.enter_folder(folder_path, place.id, place.volume, 1, None)
                rows = [
                    Sighting(b"WKD_%07d.jpg" % (shoot * 250 + n), "photo", 4_000_000 + shoot * 250 + n,
                             1_700_000_000_123_456_789 + n, number + n, 1, 1000)
                    for n in range(250)
                ]  # fmt: skip
                stock.files.put(folder, place.id, place.volume, rows)
                if homes > 1:
                    known = stock.files.numbers_in(folder)
                    stock.contents.set_read(
                        (
                            shoot * 250 + n,
                            blake2b(b"%d %d" % (shoot, n), digest_size=32).digest(),
                            None,
                            None,
                            None,
                            known[row.name],
                        )
                        for n, row in enumerate(rows)
                    )
                number += 250


CATALOGUES = ("list", "csv", "json", "jsonl", "m3u", "pls", "xspf", "otio", "edl", "sqlite")


def make_catalogues(folder: Path, count: int) -> None:
    """Make a stock of `count` files, a list of their paths, and catalogues of 19 of 20 of them."""
    fill_stock(str(folder / "stock"), count)
    with Stock.open(str(folder / "stock")) as stock:
        paths = sorted(os.fsdecode(path) for path in stock.listing.paths())
    (folder / "all.txt").write_text("\n".join([*paths, ""]))
    write_catalogues(folder, [path for number, path in enumerate(paths) if number % 20 != 7])


def write_catalogues(folder: Path, paths: Sequence[str]) -> None:
    """Write a catalogue of the same paths in each form, as ``known.FORM``."""
    uris = ["file://" + quote(path) for path in paths]
    clips = [{"OTIO_SCHEMA": "Clip.2", "media_references": {"DEFAULT_MEDIA": {
        "OTIO_SCHEMA": "ExternalReference.1", "target_url": uri}}} for uri in uris]  # fmt: skip
    track = {"OTIO_SCHEMA": "Track.1", "children": clips}
    stack = {"OTIO_SCHEMA": "Stack.1", "children": [track]}
    records = [{"file": {"path": uri}, "rating": 3, "keywords": ["kite", "sky"]} for uri in uris]
    texts = {
        "list": "\n".join([*paths, ""]),
        "csv": "Path,Rating,Keywords\n" + "".join(f'"{path}",3,"kite, sky"\n' for path in paths),
        "json": json.dumps({"version": 1, "pictures": records}),
        "jsonl": "".join(json.dumps(record) + "\n" for record in records),
        "m3u": "#EXTM3U\n" + "".join(f"#EXTINF:1,kite\n{path}\n" for path in paths),
        "pls": "[playlist]\n" + "".join(f"File{number}={path}\n" for number, path in enumerate(paths, start=1)),
        "xspf": '<playlist version="1" xmlns="http://xspf.org/ns/0/"><trackList>'
        + "".join(f"<track><location>{uri}</location></track>" for uri in uris)
        + "</trackList></playlist>",
        "otio": json.dumps({"OTIO_SCHEMA": "Timeline.1", "tracks": stack}),
        "edl": "TITLE: kites\n" + "".join(f"001  AX V C 0 1 0 1\n* SOURCE FILE: {path}\n" for path in paths),
    }
    for form, text in texts.items():
        (folder / f"known.{form}").write_text(text)
    with sqlite3.connect(folder / "known.sqlite") as database:
        database.execute("CREATE TABLE photos (path TEXT)")
        database.executemany("INSERT INTO photos VALUES (?)", ((path,) for path in paths))
    database.close()
