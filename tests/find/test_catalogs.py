"""Catalogues of other programs: read in any form, matched with the stock, and what they have lost track of."""

import contextlib
import csv
import json
import os
import sqlite3
import time
import unicodedata
from pathlib import Path
from urllib.parse import quote

import opentimelineio as otio
import pytest
from hypothesis import given
from hypothesis import strategies as st

from foldkeep.find.catalogs import known_files
from foldkeep.formats.catalogs import FORMS, catalog_source, read_catalog
from foldkeep.formats.catalogs.queries import read_query
from foldkeep.model import UnusableInput
from foldkeep.model.catalogs import Catalog
from foldkeep.stock import Stock
from harness.catalogues import library, uri, written
from harness.desks import Desk

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
        (desk.top / "old.txt").write_bytes(f"{name}\n{desk.place}/shoot/WKD_1.jpg\n".encode(encoding))
        assert desk.ask("catalog", "check", desk.top / "old.txt")["found"] == 2, encoding


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
    assert "only what is left over can be told" in desk.run("orphans").out
    assert "no catalogue is named or remembered" in desk.run("orphans", "--adopt", desk.top / "list").err


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
    with contextlib.closing(sqlite3.connect(path)) as other, other:
        other.execute("PRAGMA journal_mode = WAL")
        other.execute("INSERT INTO photos VALUES (2, '/a/delta.jpg')")
        other.commit()
        with pytest.raises(UnusableInput, match="another program is using it"):
            list(read_catalog(source))
    other.close()
    assert [entry.text for entry in read_catalog(source)] == ["/a/kite.jpg", "/a/delta.jpg"]
    with contextlib.closing(sqlite3.connect(path)) as other, other:
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
    rows = actions("--only-these-rules", "--prefer", "plain-name", "--prefer", "shortest-path")
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
