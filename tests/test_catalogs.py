"""Catalogues of other programs: read in any form, matched with the stock, and what they have lost track of."""

import csv
import io
import json
import os
import sqlite3
import subprocess
import time
import unicodedata
from pathlib import Path
from urllib.parse import quote

import opentimelineio as otio
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from conftest import PROGRAM, Desk, left
from foldkeep.find import known_files
from foldkeep.formats import FORMS, catalog_source, read_catalog
from foldkeep.formats.queries import read_query
from foldkeep.model import Catalog, UnusableInput
from foldkeep.stock import Stock


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
            with sqlite3.connect(name) as database:
                database.execute("CREATE TABLE photos (id INTEGER, place BLOB)")
                database.executemany("INSERT INTO photos VALUES (?, ?)", enumerate(raw))
            database.close()
    return f"{form}:{name}"


letters = st.characters(blacklist_characters="/\\", blacklist_categories=["Cc", "Cs", "Zs", "Zl", "Zp"])
steps = st.text(letters, min_size=1, max_size=9).filter(lambda step: step.strip("."))
anywhere = st.lists(steps, min_size=1, max_size=4).map(lambda parts: "/" + "/".join(parts) + ".jpg")


@pytest.mark.parametrize("form", [form for form in FORMS if form != "xmp"])
@given(paths=st.lists(anywhere, min_size=1, max_size=6))
def test_every_form_gives_back_the_paths(tmp_path_factory, form: str, paths: list[str]):
    query = "select * from photos" if form == "sqlite" else ""
    source = catalog_source(written(form, tmp_path_factory.mktemp("forms"), paths), query=query)
    texts = [entry.text for entry in read_catalog(source)]
    assert texts == ([uri(path) for path in paths] if form in ("json", "jsonl", "xspf", "otio") else paths)


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
    assert {Path(line).name for line in adopt.read_text().splitlines()} == {"new.jpg", "WKD_4.jpg"}
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
    told = desk.run("orphans", "--catalog", source).out
    assert f"WKD_0.jpg  the same content is now {desk.place}/inbox/a copy.jpg\n" in told
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
    answer = desk.ask("orphans", "--catalog", source, "--repair", f"{source.partition(':')[2]}.new.{form}")
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


def test_paths_are_mended_in_the_style_of_the_catalogue(desk: Desk):
    paths = library(desk)
    listed = desk.top / "lists/relative.m3u8"
    listed.parent.mkdir()
    listed.write_text("".join(f"{os.path.relpath(path, listed.parent)}\n" for path in paths) + "D:\\Old\\WKD_1.jpg\n")
    mended = desk.ask("orphans", "--catalog", listed, "--repair", desk.top / "lists/mended.m3u8")["repair"]
    assert Path(mended).read_text() == listed.read_text().rpartition("D:")[0]
    old = desk.top / "old.txt"
    old.write_text("".join(path.replace(str(desk.place), "D:\\Kites").replace("/", "\\") + "\n" for path in paths))
    words = ["--root-map", f"D:/Kites={desk.place}"]
    mended = desk.ask("orphans", "--catalog", old, *words, "--repair", desk.top / "new.txt")["repair"]
    assert Path(mended).read_text().splitlines() == paths
    with sqlite3.connect(desk.top / "photos.db") as database:
        database.execute("CREATE TABLE photos AS SELECT ? AS path", (paths[0],))
    database.close()
    words = ["--query", "select path from photos", "--repair", desk.top / "photos-new.db"]
    refused = desk.run("orphans", "--catalog", desk.top / "photos.db", *words)
    assert (refused.status, "only the program that it belongs to can" in refused.err) == (2, True)
    refused = desk.run("orphans", "--catalog", old, "--catalog", listed, "--repair", desk.top / "x.txt",
                       "--root-map", f"D:/Kites={desk.place}")  # fmt: skip
    assert "--repair corrects one file at a time" in refused.err


@pytest.mark.parametrize(("spell", "words"), [
    (lambda path, top: path.replace(str(top), "D:\\Kites").replace("/", "\\"), ["--root-map", "d:/kites=TOP"]),
    (lambda path, top: path.replace(str(top), "/mnt/old"), ["--root-map", "/mnt/old=TOP"]),
    (lambda path, top: "file:///C:/Kites" + quote(path.removeprefix(str(top))), ["--root-map", "C:/Kites=TOP"]),
    (lambda path, top: unicodedata.normalize("NFD", path), []),
    (lambda path, top: str(top) + path.removeprefix(str(top)).upper(), ["--ignore-case"]),
    (lambda path, top: os.path.relpath(path, top.parent), []),
    (lambda path, top: quote(path), []),
])  # fmt: skip
def test_paths_of_other_machines_find_their_files(desk: Desk, spell, words: list[str]):
    paths = library(desk)
    source = written("m3u", desk.top, [spell(path, desk.place) for path in paths])
    words = [word.replace("TOP", str(desk.place)) for word in words]
    found = desk.ask("catalog", "check", source, *words)
    assert (found["found"], found["not_found"]) == (9, 0)
    if words:
        refused = desk.run("catalog", "check", source)
        assert (refused.status, refused.err.count("\n")) == (2, 1)
        assert "nothing that the catalogue" in refused.err
        assert ("did you mean --root-map" in refused.err) == (words[0] == "--root-map")


def test_an_older_encoding_and_byte_order_marks(desk: Desk):
    library(desk)
    name = desk.place / "shoot/été.jpg"
    table = desk.top / "old.csv"
    for encoding in ("cp1252", "utf-8-sig", "utf-16"):
        table.write_bytes(f"Title;Path\r\nx;{name}\r\ny;{desk.place}/shoot/WKD_1.jpg\r\n".encode(encoding))
        assert desk.ask("catalog", "check", table)["found"] == 2, encoding


def test_catalogues_are_remembered(desk: Desk):
    paths = library(desk)
    source = written("csv", desk.top, paths[:4])
    assert "No catalogue is remembered" in desk.run("catalog", "list").out
    added = desk.ask("catalog", "add", "stills", source, "--field", "Where it is")
    assert [each["name"] for each in added["catalogs"]] == ["stills"]
    assert "stills" in desk.run("catalog", "list").out
    assert desk.ask("catalog", "check", "stills")["found"] == 4
    whole = desk.ask("orphans", "--catalog", "stills", "--catalog", written("list", desk.top, paths[4:]))
    assert whole["found"] == 9
    assert desk.run("catalog", "forget", "stills").status == 0
    for words, why in (
        (("forget", "stills"), "no catalogue is called stills"),
        (("add", "x"), "no source is named"),
        (("check",), "no catalogue is named"),
        (("check", desk.top / "none.csv"), "no such file"),
        (("add", "x", "a.csv", "--root-map", "D:"), "--root-map D: is no OLD=NEW"),
    ):
        answer = desk.run("catalog", *words)
        assert (answer.status, answer.err.count("\n")) == (2, 1)
        assert why in answer.err
    assert "no catalogue is named" in desk.run("orphans").err


BOMB = '<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;">]><playlist xmlns="http://xspf.org/ns/0/">&b;</playlist>'


@pytest.mark.parametrize(("name", "body", "why"), [
    ("bomb.xspf", BOMB.encode(), "it is no XSPF"), ("deep.json", b"[" * 100_000, "nested too deeply"),
    ("number.json", b"17", "it has no list"),
    ("words.json", b'[{"a": "b"}]', "no column or key of it looks like a path"),
    ("broken.jsonl", b'{"path": "/a/b.jpg"}\n{"path"', "line 2 is not JSON"), ("empty.csv", b"", "looks like a path"),
    ("long.m3u", b"k" * 3_000_000, "line 1 is longer than 1 MiB"), ("void.m3u8", b"#EXTM3U\n", "names no file"),
    ("broken.otio", b"{no timeline", "no OpenTimelineIO document"),
    ("list.otio", b"[1]", "it has no OTIO_SCHEMA"), ("what.xyz", b"", "forms are list, csv"),
    ("text.db", b"no database at all" * 99, "say what to ask it with --query"),
    ("stream.m3u", b"http://kites.example/a.mp3\n", "nothing that the catalogue"),
])  # fmt: skip
def test_what_makes_no_sense_is_one_line(desk: Desk, name: str, body: bytes, why: str):
    library(desk)
    path = desk.top / name
    path.write_bytes(body)
    answer = desk.run("orphans", "--catalog", path)
    assert (answer.status, answer.out, answer.err.count("\n")) == (2, "", 1)
    assert why in answer.err
    assert path.read_bytes() == body


def test_a_document_too_large_for_one_piece_is_not_read(desk: Desk):
    library(desk)
    huge = desk.top / "huge.json"
    with huge.open("wb") as file:
        file.truncate(2_000_000_000)
    began = time.monotonic()
    assert "too much to read in one piece" in desk.run("orphans", "--catalog", huge).err
    assert time.monotonic() - began < 5


@pytest.mark.parametrize(("query", "why"), [
    ("delete from photos", "does more than read"), ("pragma user_version = 3", "does more than read"),
    ("attach 'other.db' as o", "does more than read"), ("select load_extension('x')", "does more than read"),
    ("select 1; select 2", "the query failed"), ("selec", "the query failed"), ("select * from no", "the query failed"),
    ("with recursive n(x) as (select 1 union all select x + 1 from n) select x from n where x < 0", "longer than 1"),
])  # fmt: skip
def test_queries_may_only_read(tmp_path: Path, query: str, why: str):
    written("sqlite", tmp_path, ["/a/kite.jpg"])
    path = tmp_path / "catalogue.sqlite"
    before = path.read_bytes()
    with pytest.raises(ValueError, match=why):
        list(read_query(str(path), query, seconds=1))
    assert path.read_bytes() == before
    assert sorted(os.listdir(tmp_path)) == ["catalogue.sqlite"]


def test_a_database_in_use_or_damaged_is_refused_and_one_in_wal_mode_is_read(tmp_path: Path):
    written("sqlite", tmp_path, ["/a/kite.jpg"])
    path = tmp_path / "catalogue.sqlite"
    source = catalog_source(str(path), query="select place from photos")
    with sqlite3.connect(path) as other:
        other.execute("PRAGMA journal_mode = WAL")
        other.execute("INSERT INTO photos VALUES (2, '/a/delta.jpg')")
        other.commit()
        with pytest.raises(UnusableInput, match="another program is using it"):
            list(read_catalog(source))
    other.close()
    assert [entry.text for entry in read_catalog(source)] == ["/a/kite.jpg", "/a/delta.jpg"]
    with sqlite3.connect(path) as other:
        other.execute("BEGIN EXCLUSIVE")
        assert len(list(read_catalog(source))) == 2, "a lock keeps nobody from reading what is not being changed"
    other.close()
    path.write_bytes(path.read_bytes()[:100] + b"k" * 9000)
    with pytest.raises(UnusableInput, match="the query failed"):
        list(read_catalog(source))


def test_names_alone_and_what_catalogues_say_of_files(desk: Desk):
    paths = library(desk)
    desk.write("clips/DRN_1.mov", b"d")
    desk.run("scan")
    edl = desk.top / "cut.edl"
    edl.write_text("TITLE: cut\n001  AX V C 0 1 0 1\n* FROM CLIP NAME: drn_1\n* FROM CLIP NAME: GONE.MOV\n")
    told = desk.top / "told.csv"
    told.write_text(f"Path,Keywords,Stars,Caption\n{paths[0]},kites; meadow;kites,4,two lines\n")
    with Stock.open(str(desk.stock)) as stock:
        known = known_files(
            stock, [Catalog("cut", (catalog_source(str(edl)),)), Catalog("told", (catalog_source(str(told)),))]
        )
    assert set(known.files) == {os.fsencode(desk.place / "clips/DRN_1.mov"), os.fsencode(paths[0])}
    (entry,) = known.files[os.fsencode(paths[0])]
    assert (entry.keywords, entry.rating, entry.description) == (("kites", "meadow"), 4.0, "two lines")
    assert [each.text for each, _ in known.missing] == ["GONE.MOV"]


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


def test_halves_of_characters_are_no_traceback(desk: Desk):
    library(desk)
    path = desk.top / "half.json"
    path.write_text(json.dumps([str(desk.place / "shoot/WKD_1.jpg"), "/kites/\ud800.jpg", "/kites/\udcff.jpg"]))
    found = desk.ask("catalog", "check", path)
    assert (found["found"], found["not_found"]) == (1, 2)


@pytest.mark.parametrize("suffix", ["otio", "otiod"])
def test_timelines_tell_what_the_library_tells(tmp_path: Path, suffix: str):
    """Image sequences, several references of one clip, nested stacks, and media in a bundle."""
    media = tmp_path / "media"
    media.mkdir()
    (media / "kite.mov").write_bytes(b"k")
    frames = otio.schema.ImageSequenceReference(
        target_url_base=uri(str(media)) + "/", name_prefix="kite.", name_suffix=".png", start_frame=8, frame_step=2,
        rate=24, frame_zero_padding=4, available_range=otio.opentime.TimeRange(
            otio.opentime.RationalTime(0, 24), otio.opentime.RationalTime(10, 24)),
    )  # fmt: skip
    plain = otio.schema.ExternalReference(target_url=uri(str(media / "kite.mov")))
    clip = otio.schema.Clip(media_reference=plain)
    if suffix == "otio":
        clip.set_media_references({"a": plain, "b": frames, "c": otio.schema.MissingReference()}, "a")
    stack = otio.schema.Stack(children=[otio.schema.Track(children=[clip])])
    timeline = otio.schema.Timeline()
    timeline.tracks.append(otio.schema.Track(children=[stack]))
    path = tmp_path / f"cut.{suffix}"
    otio.adapters.write_to_file(timeline, str(path))
    texts = [entry.text for entry in read_catalog(catalog_source(str(path)))]
    if suffix == "otio":
        images = [frames.target_url_for_image_number(n) for n in range(frames.number_of_images_in_sequence())]
        assert sorted(texts) == sorted([plain.target_url, *images])
        assert len(images) == 5
    else:
        assert [Path(text).name for text in texts] == ["kite.mov"]


def test_a_catalogue_without_suffixes_or_with_several_sources(desk: Desk):
    paths = library(desk)
    plain = desk.top / "plain"
    plain.write_text("\n".join(paths[:3]))
    assert "does not tell what it is; write FORM:FILE" in desk.run("catalog", "check", plain).err
    assert desk.ask("catalog", "check", f"list:{plain}")["found"] == 3
    rest = written("xspf", desk.top, paths[3:])
    desk.ask("catalog", "add", "both", f"list:{plain}", rest)
    checked = desk.ask("catalog", "check", "both")
    assert (checked["found"], checked["folders"][0]["path"]) == (9, str(desk.place / "shoot"))
    Path(paths[0]).unlink()
    desk.run("scan")
    answer = desk.run("catalog", "check", "both")
    assert answer.status == 1
    assert "9 entries in both: 8 files found, 1 missing.\n" in answer.out


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
@pytest.mark.parametrize("form", [form for form in FORMS if form != "xmp"])
def test_a_large_catalogue_is_right_quick_and_small(large_library, tmp_path: Path, form: str):
    desk, known, unknown = large_library
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


def test_keep_takes_nothing_from_a_catalogue(desk: Desk):
    for name in ("kite.jpg", "old/kite (1).jpg", "old/kite copy.jpg", "delta.jpg", "old/delta.jpg"):
        desk.write(name, name.partition("/")[2].encode()[:4] or name[:4].encode())
    desk.run("scan", desk.place)

    def actions(*words: str) -> dict[str, tuple[str, str]]:
        desk.docket.unlink(missing_ok=True)
        desk.ask("keep", "-o", desk.docket, *words)
        with desk.docket.open(newline="") as stream:
            rows = list(csv.DictReader(stream))
        return {os.path.relpath(row["path"], desk.place): (row["action"], row["reason"]) for row in rows}

    assert actions()["kite.jpg"][0] == "keep"
    source = written("m3u", desk.top, [str(desk.place / "old/kite (1).jpg")])
    assert actions("--catalog", source)["old/kite (1).jpg"] == ("keep", f"{source} knows it")
    desk.run("catalog", "add", "stage", source)
    rows = actions()
    assert rows["old/kite (1).jpg"] == ("keep", "a catalogue knows it")
    assert rows["kite.jpg"] == ("fold", "a catalogue knows the keeper, not this one")
    rows = actions("--prefer", "under:" + str(desk.place / "none"), "--only-these-rules", "--prefer", "plain-name",
                   "--prefer", "shortest-path")  # fmt: skip
    assert rows["kite.jpg"][0] == "keep"
    assert rows["old/kite (1).jpg"] == ("leave", "stage uses it, and not the copy that stays")
    assert rows["old/kite copy.jpg"][0] == "fold"
    assert actions("--only-these-rules", "--prefer", "plain-name", "--prefer", "shortest-path", "--for-links")[
        "old/kite (1).jpg"][0] == "fold"  # fmt: skip
    both = written("list", desk.top, [str(desk.place / "old/kite (1).jpg"), str(desk.place / "kite.jpg")])
    desk.run("catalog", "add", "stage", both)
    assert actions()["old/kite (1).jpg"][0] == "fold", "the catalogue has the keeper too"
    os.unlink(desk.top / "catalogue.list")
    refused = desk.run("keep", "-o", desk.top / "other.csv")
    assert (refused.status, refused.err.count("\n")) == (2, 1)
    assert "foldkeep catalog forget stage" in refused.err
