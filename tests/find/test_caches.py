"""Files that can be made again: only by evidence, only while their source is there."""

import contextlib
import gzip
import json
import os
import sqlite3
import subprocess
import zipfile
from pathlib import Path

import pytest

from foldkeep.formats.own import general_recipes
from harness.caches import cut
from harness.desks import Desk, TrustingDesk, left, listing


@pytest.fixture
def desk(tmp_path: Path) -> Desk:
    """What a recipe's word is worth is asked in test_evidence.py; here all of them are trusted."""
    return TrustingDesk(tmp_path)


# For each general recipe: a file that it takes, and what that is made from.
EXAMPLES = {
    "proxies": ("edit/proxies/day 1/STG_0001_Proxy.mov", "edit/STG_0001.mp4"),
    "intermediates": ("edit/Transcodes/DRN_0002.mov", "edit/DRN_0002.mp4"),
    "waveforms": ("music/march.wav.peak", "music/march.wav"),
    "previews of pictures": ("stills/thumbs/WKD_0001.png", "stills/WKD_0001.jpg"),
    "indexes": ("edit/media index/DRN_0002.bin", "edit/DRN_0002.mp4"),
    "frames of clips": ("edit/DRN_0002_frames/00/000123.png", "edit/DRN_0002.mp4"),
    "cached conversions": ("edit/converted media/8f3a.mov", "edit/STG_0001.mp4"),
    "rendered copies": ("edit/titles_Rendered.mov", "edit/titles.mp4"),
    "preview renders": ("edit/Render Files/v2/000123.mov", "edit/highlights.otio"),
    "frame caches": ("edit/cache/v12.1/frame 7.dat", "edit/highlights.otio"),
    "logs": ("edit/logs/export.log", "edit/highlights.otio"),
}


@pytest.mark.parametrize("recipe", [recipe.name for recipe in general_recipes()])
def test_without_its_source_nothing_is_proposed(desk: Desk, recipe: str):
    made, source = EXAMPLES[recipe]
    desk.write(made, b"made " * 10)
    is_timeline = source.endswith(".otio")
    desk.write(source, b'{"OTIO_SCHEMA": "Timeline.1"}' if is_timeline else b"the original")
    if not is_timeline:
        desk.write("elsewhere/" + os.path.basename(source), b"another of that name, in no project")
    if recipe == "cached conversions":
        desk.write("edit/converted media/manifest.json", b'{"8f3a.mov": "../STG_0001.mp4", "0000.mov": "gone.mp4"}')
    desk.ask("scan", desk.place)
    found = desk.ask("caches")
    (each,) = found["regenerable"]
    assert (each["path"], each["source"]["path"]) == (str(desk.place / made), str(desk.place / source))
    assert (each["evidence"], found["source_gone"], found["bytes"]) == (f"recipe {recipe}", [], 50)
    assert f"it can be made again from {desk.place / source}" in desk.run("caches", "--explain", desk.place / made).out
    (desk.place / source).unlink()
    desk.ask("scan")
    found = desk.ask("caches")
    assert (found["regenerable"], found["bytes"]) == ([], 0)
    assert [each["path"] for each in found["source_gone"]] == [str(desk.place / made)]
    assert "1 file without a source, perhaps the last copy" in desk.run("caches").out
    assert "but its source is gone: no " in desk.run("caches", "--explain", desk.place / made).out
    desk.ask("caches", "-o", desk.docket)
    assert ",leave," in desk.docket.read_text()
    assert ",fold," not in desk.docket.read_text()


def test_tags_versions_projects_and_what_is_asked_for(desk: Desk):
    tag = b"Signature: 8a477f597d28d172789f06886806bc55\n# made by a player\n"
    desk.write("player/store/CACHEDIR.TAG", tag)
    desk.write("player/store/deep/1.bin", b"1" * 7)
    desk.write("player/other/CACHEDIR.TAG", b"Signature: none")
    desk.write("player/other/2.bin", b"2" * 7)
    desk.write("edit/highlights.otio", b'{"OTIO_SCHEMA": "Timeline.1"}')
    desk.write("edit/reel/teaser.otio", b'{"OTIO_SCHEMA": "Timeline.1"}')
    for version, size in (("v9", 30), ("v10.2", 20)):
        desk.write(f"edit/reel/renders/{version}/a.mov", b"r" * size)
    desk.write("edit/stage.mp4", b"s")
    desk.write("edit/reel/proxies/stage.mov", b"p" * 10)
    desk.write("edit/reel/proxies/proxies/renders/stage.mov", b"q" * 11)
    desk.ask("scan", desk.place)
    found = desk.ask("caches")
    groups = [(each["what"], each["version"], each["bytes"]) for each in found["groups"]]
    assert groups == [("render", "9", 30), ("proxy", "", 21), ("render", "10.2", 20), ("cache", "", 7)]
    assert {(each["project"] or {"path": ""})["path"] for each in found["groups"]} == {"", str(desk.place / "edit")}
    tagged = [each for each in found["regenerable"] if each["what"] == "cache"]
    assert [Path(each["path"]).name for each in tagged] == ["1.bin"]
    assert tagged[0]["source"]["path"].endswith("store/CACHEDIR.TAG")
    only = desk.ask("caches", "--what", "proxy", "--larger-than", "10")
    assert [each["size"] for each in only["regenerable"]] == [11]
    assert desk.run("caches", "--what", "sandwich").status == 2
    shown = desk.run("caches").out
    assert "5 files are regenerable, 78 B." in shown
    assert "no recipe takes edit/stage.mp4" in desk.run("caches", "--explain", desk.place / "edit/stage.mp4").out
    assert "is not in the stock" in desk.run("caches", "--explain", desk.place / "nothing").err


def test_recipes_of_a_users_own_come_first(desk: Desk):
    own = desk.top / "own.toml"
    own.write_text(
        '[[recipe]]\nname = "proxies"\nwhat = "intermediate"\nfiles = ["**/small/*.mov"]\nsource = "stem"\n'
        'folders = ["../large"]\nkinds = ["video"]\nmarks = ["s_"]\n'
    )
    desk.write("small/s_kite.mov", b"small")
    desk.write("large/Kite.mp4", b"large")
    desk.write("proxies/kite.mov", b"the general recipe of this name is not asked")
    desk.ask("scan", desk.place)
    found = desk.ask("caches", "--recipes", own)
    assert [(Path(each["path"]).name, each["what"]) for each in found["regenerable"]] == [
        ("s_kite.mov", "intermediate")
    ]
    assert desk.ask("caches")["regenerable"] == []


@pytest.mark.parametrize(("text", "why"), [
    ("", "it has no [[recipe]]"),
    ("[[recipe", "cannot use the recipes"),
    ("[[recipe]]\nname = 'a'", "recipe 'a' has no what"),
    ("[[recipe]]\nwhat = 'cake'", "recipe number 1, what: write one of render, proxy"),
    ("[[recipe]]\nname = 'a'\nsize = 3", "recipe 'a' has 'size', which is none of"),
    ("[[recipe]]\nname = 'a'\nfiles = []", "recipe 'a', files: write at least one"),
    ("[[recipe]]\nname = 'a'\nfiles = ['a**/b']", "has ** as part of a step"),
    ("[[recipe]]\nname = 'a'\nwhat = 'log'\nfiles = ['a']\nsource = 'manifest'", "go together"),
    ("[[recipe]]\nname = 'a'\nversion = 'v(.*)'", "has not one * where the version stands"),
    ("[[recipe]]\nname = 'a'\nversion = 'v'", "write what folders are called: 'v*'"),
    ("a = " + "[" * 50_000, "cannot use the recipes"),
    ("[[recipe]]\nname = 'a'\nfolders = ['/']", "write folders from that of the file"),
    ("[[recipe]]\nname = 'a'\ncleared_in_use = 1", "write true or false"),
])  # fmt: skip
def test_a_recipe_that_makes_no_sense_is_one_line(desk: Desk, text: str, why: str):
    desk.ask("scan", desk.place)
    path = desk.top / "own.toml"
    path.write_text(text)
    answer = desk.run("caches", "--recipes", path)
    assert (answer.status, why in answer.err, answer.err.count("\n")) == (2, True, 1), answer.err


def test_what_can_be_made_again_goes_through_the_same_door(desk: Desk):
    edl = cut(desk)
    desk.write("edit/renders/v1/a\nb.mov", b"render")
    desk.write("edit/STG_0001.mp4", b"the original")
    proxy = desk.write("edit/proxies/STG_0001.mov", b"small")
    desk.write("edit/proxies/STG_0001.xmp", b"what a person says of it, which nothing makes again")
    os.link(desk.write("edit/STG_0002.mp4", b"one file, two names"), desk.place / "edit/proxies/STG_0002.mp4")
    desk.write("edit/proxies/gone.mov", b"the last there is")
    before = listing(desk.place)
    desk.ask("scan", desk.place)
    desk.ask("caches", "-o", desk.docket)
    assert desk.docket.read_text().count(",fold,") == 3
    explained = desk.run("caches", "--explain", proxy.with_suffix(".xmp")).out
    assert "no recipe takes a sidecar, since no program makes one again" in explained
    linked = desk.run("fold", desk.docket, "--yes", "--method", "hard-link")
    assert (linked.status, "nothing has its content" in linked.err) == (2, True)
    answer = desk.ask("fold", desk.docket, "--yes")
    assert left(answer) == [
        ("STG_0002.mp4", f"the same file as what it is made from (hard link): {desk.place}/edit/STG_0002.mp4")
    ]
    assert answer["folded"] == 2
    assert (desk.place / "edit/proxies/gone.mov").exists()
    edl.rename(desk.top / "away.edl")
    released = desk.ask("release", "1", "--yes")
    assert [each["reason"].partition(":")[0] for each in released["left"]] == [
        "what it is made from is gone or cannot be read"
    ]
    assert released["released"] == 1
    (desk.top / "away.edl").rename(edl)
    assert desk.ask("unfold", "1")["restored"] == 1
    assert listing(desk.place) == {path: facts for path, facts in before.items() if path != os.fsencode(proxy)}
    desk.docket.unlink()
    desk.ask("scan")
    desk.ask("caches", "-o", desk.docket, "--what", "render")
    edl.unlink()
    refused = desk.run("fold", desk.docket, "--yes")
    assert (refused.status, "which is gone or away; scan, and make it again" in refused.err) == (2, True)


def test_what_is_in_use_is_left_alone(desk: Desk):
    edl = cut(desk)
    desk.write("edit/STG_0001.mp4", b"the original")
    proxy = desk.write("edit/proxies/STG_0001.mov", b"small")
    desk.write("edit/logs/export.log", b"done")
    desk.ask("scan", desk.place)
    found = desk.ask("caches")
    assert [Path(each["path"]).name for each in found["regenerable"]] == ["export.log", "STG_0001.mov"]
    desk.ask("caches", "-o", desk.docket)
    with proxy.open() as stream:
        holder = subprocess.Popen(["sleep", "60"], stdin=stream)
    try:
        found = desk.ask("caches")
        assert [(each["path"], "has it open" in each["reason"]) for each in found["in_use"]] == [(str(proxy), True)]
        assert len(found["regenerable"]) == 1
        assert "has it open" in dict(left(desk.ask("fold", desk.docket, "--yes")))["STG_0001.mov"]
    finally:
        holder.kill()
        holder.wait()
    lock = desk.write("edit/highlights.lock", b"")
    in_use = desk.ask("caches")["in_use"]
    assert [each["reason"] for each in in_use] == [f"a lock file lies beside its project: {lock}"]  # logs may go
    lock.unlink()
    os.utime(edl)
    assert "its project changed in the last 6 hours" in desk.run("caches").out


DOCUMENTS = {
    "kite.fcpxml": b'<clip src="file:///v/a%20b.mov"/><clip name="x &amp; y.mov"/>',
    "kite.json": rb'{"clips": ["\u0061 b.mov", "x & y.mov"]}',
    "kite.gz": gzip.compress(b"renders/a b.mov x & y.mov"),
    "kite.utf16": "a b.mov|x & y.mov".encode("utf-16"),
    "kite.run": b"a b.mov x & y.mov shots/run.####.mov",
    "kite.zip": None,
    "kite.sqlite": None,
}


@pytest.mark.parametrize("name", DOCUMENTS)
def test_what_no_document_mentions_is_unused(desk: Desk, name: str):
    document = desk.place / "edit" / name
    document.parent.mkdir(parents=True)
    if name.endswith(".zip"):
        with zipfile.ZipFile(document, "w") as packed:
            packed.writestr("project.xml", "a b.mov, x &amp; y.mov")
            packed.writestr("thumb.png", b"\x89PNG\r\n\x1a\n\0\0")
    elif name.endswith(".sqlite"):
        with contextlib.closing(sqlite3.connect(document)) as database, database:
            database.execute('CREATE TABLE [odd " name] (a, b)')
            database.execute("INSERT INTO [odd \" name] VALUES ('a b.mov', ?)", (gzip.compress(b"x & y.mov"),))
        database.close()
    else:
        document.write_bytes(DOCUMENTS[name])
    os.utime(document, (1_750_000_000,) * 2)
    for made in ("a b.mov", "x & y.mov", "y.mov", "b.mov2", "run.0001.mov", "unsaid.mov"):
        desk.write(f"edit/renders/{made}", made.encode())
    desk.ask("scan", desk.place)
    words = ["caches", "--unused", "--project-marker", "kite.*"]
    unused = {Path(each["path"]).name for each in desk.ask(*words)["regenerable"]}
    # "y.mov" stands at the end of a longer name, which cannot be told from itself alone: it counts as mentioned.
    expected = {"b.mov2", "run.0001.mov", "unsaid.mov"} - ({"run.0001.mov"} if name == "kite.run" else set())
    assert unused == expected
    document.write_bytes(b"\0\1 who knows")
    os.utime(document, (1_750_000_000,) * 2)
    answer = desk.run(*words)
    assert (answer.status, "so it may use anything" in answer.err) == (1, True)
    assert desk.ask(*words)["regenerable"] == []


def test_a_timeline_tells_by_path_and_a_used_source_uses_its_proxy(desk: Desk):
    timeline = {"OTIO_SCHEMA": "Timeline.1", "tracks": [
        {"OTIO_SCHEMA": "ExternalReference.1", "target_url": "renders/v2/a.mov"},
        {"OTIO_SCHEMA": "ExternalReference.1", "target_url": "STG_0001.mp4"},
        {"OTIO_SCHEMA": "ExternalReference.1", "target_url": "/elsewhere/once/b.mov"}]}  # fmt: skip
    desk.write("edit/highlights.otio", json.dumps(timeline).encode())
    for name in ("STG_0001.mp4", "STG_0002.mp4", "proxies/STG_0001.mov", "proxies/STG_0002.mov",
                 "renders/v1/a.mov", "renders/v2/a.mov", "renders/v2/b.mov"):  # fmt: skip
        desk.write(f"edit/{name}", name.encode())
    desk.ask("scan", desk.place)
    unused = [str(Path(each["path"]).relative_to(desk.place)) for each in desk.ask("caches", "--unused")["regenerable"]]
    assert unused == ["edit/proxies/STG_0002.mov", "edit/renders/v1/a.mov"]
