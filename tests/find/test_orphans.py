"""What a catalogue has lost track of, and what is left over: right to the file, in dockets and corrected copies."""

import contextlib
import csv
import json
import os
import shutil
import sqlite3
import subprocess
import time
import unicodedata
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from PIL.PngImagePlugin import PngInfo

from foldkeep.formats.catalogs import FORMS, catalog_source, read_catalog
from foldkeep.model.names import path_from_uri
from foldkeep.stock import Stock
from harness.catalogues import library, uri, written
from harness.desks import PROGRAM, Desk, left


@pytest.mark.parametrize("form", FORMS)
def test_orphans_are_right_to_the_file_in_every_form(desk: Desk, form: str):
    paths = library(desk)
    if form == "xmp":
        for path in paths:
            Path(path).with_suffix(".jpg.xmp").write_bytes(b"<x/>")
        desk.write("inbox/keep me a part.jpg.xmp", b"<y/>")
        (desk.place / "inbox/keep me a part.jpg.xmp").unlink()
        source = str(desk.place / "shoot")
    else:
        source = written(form, desk.top, paths)
    words = ["--query", "select place from photos"] if form == "sqlite" else []
    found = desk.ask("orphans", "--catalog", source, "--under", desk.place, *words)
    unknown = {Path(each["path"]).name: each["standing"] for each in found["unknown"]}
    assert unknown == {"new.jpg": "only here", "pair 1.mov": "also elsewhere", "pair 2.mov": "also elsewhere",
                       "WKD_4.jpg": "same name", "WKD_3 (1).jpg": "a copy", "link.jpg": "a copy"}  # fmt: skip
    assert found["unknown"][0]["path"].endswith("new.jpg")
    assert [Path(each["path"]).name for each in found["left_over"]] == ["WKD_9.xmp"]
    assert found["found"] == 9


def test_a_docket_of_orphans_takes_copies_only(desk: Desk):
    source = written("list", desk.top, library(desk))
    adopt = desk.top / "adopt.txt"
    desk.ask("orphans", "--catalog", source, "--under", desk.place, "-o", desk.docket, "--adopt", adopt)
    assert {Path(line).name for line in adopt.read_text().splitlines()} == {"new.jpg"}
    answer = desk.ask("fold", desk.docket, "--yes")
    assert (answer["folded"], left(answer)) == (1, [])
    assert not (desk.place / "inbox/WKD_3 (1).jpg").exists()
    again = desk.ask("orphans", "--catalog", source, "--under", desk.place, "--sole-copies", "-o", desk.top / "all.csv")
    refused = desk.run("fold", again["docket"], "--yes")
    assert (refused.status, "keeps no copy in set" in refused.err) == (2, True)
    assert desk.ask("fold", again["docket"], "--yes", "--allow-last-copy")["folded"] == 5
    assert desk.ask("unfold", "--last")["restored"] == 5


def test_missing_and_twice(desk: Desk):
    paths = library(desk)
    os.rename(paths[0], desk.place / "inbox/renamed.jpg")
    desk.write("inbox/a copy.jpg", b"0" * 40)
    os.unlink(paths[1])
    desk.run("scan")
    desk.docket.unlink(missing_ok=True)
    desk.run("list", "--name", "WKD_2.jpg", "-o", desk.docket)
    desk.run("fold", desk.docket, "--yes", "--allow-last-copy")
    twice = [*paths, paths[6].replace("/shoot/", "/shoot/../shoot/"), uri(paths[6]), "http://kites.example/stream.mp3"]
    source = written(
        "m3u", desk.top, [*twice, str(desk.place / "inbox/pair 1.mov"), str(desk.place / "inbox/pair 2.mov")]
    )
    found = desk.ask("orphans", "--catalog", source)
    assert (found["streams"], found["not_found"]) == (1, 3)
    missing = {Path(each["should_be"]["path"]).name: each for each in found["missing"]}
    assert missing["WKD_2.jpg"]["run"] == 1
    assert missing["WKD_1.jpg"]["now"] is None
    assert missing["WKD_0.jpg"]["by_content"]
    assert Path(missing["WKD_0.jpg"]["now"]["path"]).name == "a copy.jpg"
    told = desk.run("orphans", "--catalog", source, "-o", desk.top / "twice.csv").out
    with (desk.top / "twice.csv").open(newline="") as table:
        rows = [(row["action"], Path(row["path"]).name) for row in csv.DictReader(table) if "pair" in row["path"]]
    assert rows == [("keep", "pair 1.mov"), ("leave", "pair 2.mov")]
    assert sum(each["bytes"] for each in found["twice"]) == 60
    now = f"the same content is now {desk.place}/inbox/a copy.jpg, also {desk.place}/inbox/renamed.jpg"
    assert f"WKD_0.jpg  {now}\n" in told
    assert "WKD_2.jpg  in the fold since run 1\n" in told
    assert "WKD_6.jpg  written 3 times: line " in told
    repeated = [[Path(path["path"]).name for path in each["paths"]] for each in found["twice"]]
    assert sorted(repeated) == [["WKD_6.jpg"], ["pair 1.mov", "pair 2.mov"]]


@pytest.mark.parametrize("form", [form for form in FORMS if form not in ("xmp", "sqlite")])
def test_a_corrected_copy_has_each_content_once_and_nothing_missing(desk: Desk, form: str):
    paths = library(desk)
    desk.write("moved/kite zero.jpg", b"0" * 40)
    desk.run("scan")
    for number in (0, 1):
        os.unlink(paths[number])
    desk.run("scan")
    pairs = [str(desk.place / f"inbox/pair {number}.mov") for number in (1, 2)]
    source = written(form, desk.top, [*paths, *pairs, paths[6], str(desk.place / "inbox/WKD_3 (1).jpg")])
    before = Path(source.partition(":")[2]).read_bytes()
    line = ["orphans", "--catalog", source, "--repair", f"{source.partition(':')[2]}.new.{form}"]
    whole = desk.ask(*line)  # what is written in an entry is never lost, whether its file is there or not
    assert whole["repaired"] == {"moved": 1, "perhaps": 0, "dropped": 0, "stay": 1}
    kept = [entry.text for entry in read_catalog(catalog_source(f"{form}:{whole['repair']}"))]
    assert len(kept) == len([*paths, *pairs]) + 2
    answer = desk.ask(*line, "--one-entry", "--drop-missing")
    assert Path(source.partition(":")[2]).read_bytes() == before
    texts = [entry.text for entry in read_catalog(catalog_source(f"{form}:{answer['repair']}"))]
    expected = [str(desk.place / "moved/kite zero.jpg"), *paths[2:], pairs[0]]
    assert texts == ([uri(path) for path in expected] if form in ("json", "jsonl", "xspf", "otio") else expected)
    checked = desk.ask("catalog", "check", f"{form}:{answer['repair']}")
    assert (checked["found"], checked["not_found"]) == (9, 0)
    text = Path(answer["repair"]).read_text("utf-8", "surrogateescape")
    kept = {"csv": "Id,Where it is,Rating", "json": '"tags"', "m3u": "#EXTINF:1,x", "pls": "Title9=x",
            "otio": "MissingReference", "edl": "001  AX V C 0 1 0 1", "xspf": "trackList"}  # fmt: skip
    assert kept.get(form, "") in text
    if form == "m3u":
        assert text.count("#EXTINF") == 9
    if form == "pls":
        assert "File10=" not in text


@pytest.mark.parametrize("form", ["csv", "json", "jsonl", "m3u", "list"])
def test_a_guess_is_marked_and_candidates_are_named(desk: Desk, form: str):
    """Names in one form of Unicode find files in the other; a name alone is a guess, and said to be one."""
    old = [desk.write(f"old/{name}", name.encode() * 9) for name in ("grün.jpg", "kite.jpg", "gone.jpg", "stays.jpg")]
    source = written(form, desk.top, list(map(str, old)))
    desk.run("scan", desk.place)
    desk.write("new/" + unicodedata.normalize("NFD", "grün.jpg"), b"another content")
    for number in (1, 2):
        desk.write(f"new/{number}/kite.jpg", b"kite.jpg" * 9)
    for path in old[:-1]:
        path.unlink()
    desk.run("scan", desk.place)
    told = desk.ask("orphans", "--catalog", source)["missing"]
    assert [len(each["also"]) for each in told] == [0, 1, 0]
    shutil.rmtree(desk.stock.parent)  # nobody knows the contents any more
    desk.run("scan", desk.place)
    answer = desk.run("orphans", "--catalog", source, "--repair", desk.top / f"mended.{form}")
    mended = (desk.top / f"mended.{form}").read_text()
    assert "1 path mended, 1 of them perhaps: found by name alone." in answer.out
    assert "2 entries without a file stay as written (--drop-missing)." in answer.out
    assert ("perhaps" in mended) == (form != "list")
    texts = [entry.text for entry in read_catalog(catalog_source(f"{form}:{desk.top}/mended.{form}"))]
    assert [Path(path_from_uri(each).decode() if "file:" in each else each).parent.name for each in texts] == [
        "new", "old", "old", "old",
    ]  # fmt: skip


def test_where_all_of_a_catalogue_was_moved_it_is_mended(desk: Desk):
    paths = library(desk)
    source = written("list", desk.top, paths)
    (desk.place / "shoot").rename(desk.place / "elsewhere")
    desk.run("scan", desk.place)
    repaired = desk.ask("orphans", "--catalog", source, "--repair", desk.top / "new.txt")["repaired"]
    assert (repaired["moved"], repaired["dropped"], repaired["stay"]) == (len(paths), 0, 0)


def test_paths_are_mended_in_the_style_of_the_catalogue(desk: Desk):
    paths = library(desk)
    listed = desk.top / "lists/relative.m3u8"
    listed.parent.mkdir()
    listed.write_text("".join(f"{os.path.relpath(path, listed.parent)}\n" for path in paths) + "D:\\Old\\WKD_1.jpg\n")
    mended = desk.ask("orphans", "--catalog", listed, "--repair", desk.top / "lists/mended.m3u8")["repair"]
    assert Path(mended).read_text() == listed.read_text()
    old = desk.top / "old.txt"
    old.write_text("".join(path.replace(str(desk.place), "D:\\Kites").replace("/", "\\") + "\n" for path in paths))
    words = ["--root-map", f"D:/Kites={desk.place}"]
    mended = desk.ask("orphans", "--catalog", old, *words, "--repair", desk.top / "new.txt")["repair"]
    assert Path(mended).read_text().splitlines() == paths
    with contextlib.closing(sqlite3.connect(desk.top / "photos.db")) as database, database:
        database.execute("CREATE TABLE photos AS SELECT ? AS path", (paths[0],))
    database.close()
    words = ["--query", "select path from photos", "--repair", desk.top / "photos-new.db"]
    refused = desk.run("orphans", "--catalog", desk.top / "photos.db", *words)
    assert (refused.status, "only the program that it belongs to can" in refused.err) == (2, True)
    refused = desk.run("orphans", "--catalog", old, "--catalog", listed, "--repair", desk.top / "x.txt",
                       "--root-map", f"D:/Kites={desk.place}")  # fmt: skip
    assert "--repair corrects one file at a time" in refused.err


trees = st.dictionaries(
    st.tuples(st.sampled_from(["shoot", "shoot/raw", "inbox"]), st.sampled_from(["a.jpg", "b.jpg", "c.mov", "d.pdf"])),
    st.tuples(st.integers(0, 3), st.booleans()),
    min_size=1,
).filter(lambda tree: any(known for _, known in tree.values()))


@settings(max_examples=40, deadline=None)
@given(trees)
def test_orphans_agree_with_a_plain_oracle(tmp_path_factory, tree):
    desk = Desk(tmp_path_factory.mktemp("oracle"))
    for (folder, name), (body, _) in tree.items():
        desk.write(f"{folder}/{name}", b"kite %d" % body)
    desk.run("scan", desk.place)
    known = {where: body for where, (body, is_known) in tree.items() if is_known}
    source = written("list", desk.top, [str(desk.place / "/".join(where)) for where in known])
    found = desk.ask("orphans", "--catalog", source, "--under", desk.place)
    expected = {}
    for where, (body, is_known) in tree.items():
        if is_known or where[1].endswith("pdf"):
            continue
        others = [other for elsewhere, (other, _) in tree.items() if elsewhere != where]
        standing = "a copy" if body in known.values() else "same name" if where[1] in {name for _, name in known} else (
            "also elsewhere" if body in others else "only here")  # fmt: skip
        expected[str(desk.place / "/".join(where))] = (standing, body not in others)
    assert {each["path"]: (each["standing"], each["sole"]) for each in found["unknown"]} == expected
    assert found["not_found"] == 0


@pytest.fixture(scope="module")
def large_library(tmp_path_factory) -> tuple[Desk, list[str], set[str]]:
    """A stock of 100,000 pictures; a catalogue knows 95,000 of them, and some of the others are copies."""
    desk = Desk(tmp_path_factory.mktemp("large"))
    desk.write("x")
    desk.run("scan", desk.place)
    known, unknown = [], set()
    with Stock.open(str(desk.stock)) as stock, stock.transaction(flush=False):
        (place,) = stock.places.all()
        for shoot in range(400):
            folder = place.path + b"/shoot %d" % shoot
            number = stock.files.enter_folder(folder, place.id, place.volume, 1, None)
            rows = []
            for shot in range(250):
                name, is_known = b"WKD_%03d_%03d.jpg" % (shoot, shot), (shoot * 250 + shot) % 20 != 7
                like = shot + 1 if not is_known and shot % 200 < 20 else shot
                digest = (shoot * 1000 + like + 1).to_bytes(32, "big")
                rows.append((name, "photo", 5000, 10**18, shoot * 250 + shot, 1, 0, 16, None, None, shot, digest))
                path = os.fsdecode(folder + b"/" + name)
                known.append(path) if is_known else unknown.add(path)
            stock.files.load(number, place.id, place.volume, rows)
    assert len(known) == 95_000
    return desk, known, unknown


@pytest.mark.long
@pytest.mark.parametrize("form", FORMS)
def test_a_large_catalogue_is_right_quick_and_small(large_library, tmp_path: Path, form: str):
    desk, known, unknown = large_library
    if form == "xmp":
        source = desk.place
        for path in map(Path, (*known, *unknown)):
            path.parent.mkdir(exist_ok=True)
            path.touch()
        for path in known:
            Path(path).with_suffix(".xmp").touch()
    else:
        source = written(form, tmp_path, known)
    line = [*PROGRAM, "orphans", "--catalog", source, "--json", "--stock", desk.stock]
    line += ["--query", "select place from photos"] * (form == "sqlite")
    began = time.monotonic()
    with (tmp_path / "out.json").open("wb") as out:
        process = subprocess.Popen(line, stdout=out)
        _, status, usage = os.wait4(process.pid, 0)
        process.returncode = os.waitstatus_to_exitcode(status)
    seconds, memory = time.monotonic() - began, usage.ru_maxrss * 1024
    print(f"{form}: {seconds:.1f} s, {memory / 1e6:.0f} MB")
    found = json.loads((tmp_path / "out.json").read_text())
    assert {each["path"] for each in found["unknown"]} == unknown
    assert (found["found"], found["not_found"], found["standings"]["a copy"]) == (95_000, 0, 800)
    assert memory < 400e6


def thumbnail(desk: Desk, where: str, shown: str, modified: int) -> None:
    """Write a thumbnail as desktops do."""
    path = desk.top / where
    path.parent.mkdir(parents=True, exist_ok=True)
    said = PngInfo()
    said.add_text("Thumb::URI", shown)
    said.add_text("Thumb::MTime", str(modified))
    Image.new("RGB", (8, 8)).save(path, pnginfo=said)


def test_thumbnails_and_previews_are_left_over_once_their_master_is_gone_or_changed(desk: Desk):
    source = written("list", desk.top, library(desk))
    moment = 1_750_000_000
    shoot = uri(str(desk.place / "shoot"))
    thumbnail(desk, "cache/thumbnails/normal/1.png", f"{shoot}/WKD_1.jpg", moment)
    thumbnail(desk, "cache/thumbnails/large/2.png", f"{shoot}/WKD_1.jpg", moment - 60)
    thumbnail(desk, "cache/thumbnails/fail/viewer/3.png", f"{shoot}/gone%20kite.jpg", moment)
    thumbnail(desk, "cache/thumbnails/normal/4.png", "file:///elsewhere/gone.jpg", moment)
    thumbnail(desk, "place/shoot/.sh_thumbnails/normal/5.png", "./WKD_2.jpg", moment)
    thumbnail(desk, "place/shoot/.sh_thumbnails/normal/6.png", "./gone.jpg", moment)
    thumbnail(desk, "place/inbox/.sh_thumbnails/large/7.png", "new.jpg", moment + 1)
    (desk.top / "cache/thumbnails/normal/8.png").write_bytes(b"\x89PNG\r\n\x1a\n broken")
    Image.new("RGB", (8, 8)).save(desk.top / "cache/thumbnails/normal/9.png")
    for name in ("shoot/WKD_1_preview.jpg", "shoot/thumbs/WKD_2.jpg.png", "inbox/preview of nothing.jpg"):
        desk.write(name, name.encode())
    desk.write("shoot/thumb-WKD_77.jpg", b"its master is gone")
    desk.write("shoot/scrollbar_thumb.png", b"part of a theme; nothing was ever called scrollbar")
    desk.write("elsewhere/WKD_77.arw", b"raw")
    desk.ask("scan")
    words = ("orphans", "--catalog", source, "--under", desk.place)
    found = desk.ask(*words, "-o", desk.docket)
    stale = {os.path.relpath(each["path"], desk.top): each["is_gone"] for each in found["thumbnails"]}
    assert stale == {"cache/thumbnails/large/2.png": False, "cache/thumbnails/fail/viewer/3.png": True,
                     "place/shoot/.sh_thumbnails/normal/6.png": True,
                     "place/inbox/.sh_thumbnails/large/7.png": False}  # fmt: skip
    over = {Path(each["path"]).name: [Path(m["path"]).name for m in each["masters"]] for each in found["left_over"]}
    assert over == {"WKD_9.xmp": [], "thumb-WKD_77.jpg": ["WKD_77.arw"]}
    unknown = {Path(each["path"]).name for each in found["unknown"]}
    assert {"preview of nothing.jpg", "scrollbar_thumb.png"} <= unknown
    assert unknown.isdisjoint({"WKD_1_preview.jpg", "WKD_2.jpg.png", "thumb-WKD_77.jpg"})
    shown = desk.run(*words).out
    assert "Left over, sidecars and previews whose master is gone: 2 files, 26 B\n" in shown
    assert "Left over, desktop thumbnails: 4 files" in shown
    # What can be made again may go, if it lies in a place; the rest is only told.
    answer = desk.ask("fold", desk.docket, "--yes", "--allow-last-copy")
    assert answer["left"] == []
    assert not (desk.place / "inbox/.sh_thumbnails/large/7.png").exists()
    assert (desk.place / "shoot/.sh_thumbnails/normal/6.png").exists()


@pytest.mark.parametrize(("name", "known"), [
    ("WKD_4.png", True), ("Copy of WKD_4.jpg", True), ("wkd_4 (2).JPG", True), ("WKD_4 copy 3.tif", True),
    ("WKD_44.jpg", False), ("WKD.jpg", False), ("4 (2).jpg", False),
])  # fmt: skip
def test_names_that_are_nearly_known(desk: Desk, name: str, known: bool):
    source = written("list", desk.top, library(desk))
    desk.write(f"inbox/{name}", b"nearly")
    desk.ask("scan")
    found = desk.ask("orphans", "--catalog", source, "--under", desk.place)
    (each,) = [each for each in found["unknown"] if Path(each["path"]).name == name]
    assert (each["standing"], each["sole"]) == ("same name" if known else "only here", True)
    assert not known or each["other"]["path"].endswith("shoot/WKD_4.jpg")


def test_a_raw_file_beside_a_catalogued_picture_is_its_partner(desk: Desk):
    for name in ("K.jpg", "K.cr3", "L.cr3", "M.jpg"):
        desk.write(f"shoot/{name}", name.encode() * 9)
    desk.run("scan", desk.place)
    desk.run("catalog", "add", "stills", written("list", desk.top, [str(desk.place / "shoot/K.jpg")]))
    unknown = [Path(each["path"]).name for each in desk.ask("orphans")["unknown"]]  # asks what is remembered
    assert sorted(unknown) == ["L.cr3", "M.jpg"]
