"""Files that can be made again: only by evidence, only while their source is there."""

import gzip
import json
import os
import re
import shutil
import sqlite3
import subprocess
import zipfile
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from foldkeep.find.projects.project_references import Names
from foldkeep.formats import general_recipes
from foldkeep.model import Cookbook, Recipe
from harness.desks import TRUST, Desk, TrustingDesk, edit, left, listing, on_a_terminal

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


@pytest.fixture
def desk(tmp_path: Path) -> Desk:
    """What a recipe's word is worth is asked in test_evidence.py; here all of them are trusted."""
    return TrustingDesk(tmp_path)


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
    assert "1 file whose source is gone: perhaps the last there is of it" in desk.run("caches").out
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
    assert "5 files can be made again, 78 B." in shown
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


def cut(desk: Desk, name: str = "edit/highlights.edl", clips: tuple[str, ...] = ("STG_0001.mp4",)) -> Path:
    lines = (f"{n:03d} AX V C 0 1 0 1\n* FROM CLIP NAME: {clip}\n" for n, clip in enumerate(clips, start=1))
    return desk.write(name, ("TITLE: cut\n" + "".join(lines)).encode())


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
        with sqlite3.connect(document) as database:
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


def test_versions_caps_projects_and_last_use(desk: Desk):
    day, now = 86_400, 1_750_000_000
    for project in ("march", "finale"):
        cut(desk, f"{project}/cut.edl")
        for version, age in (("1.9", 400), ("1.10", 300), ("2", 3)):
            path = desk.write(f"{project}/cache/v{version}/frames.bin", b"f" * 1000)
            os.utime(path, (now - age * day, now - 500 * day))
        desk.write(f"{project}/renders/plain.mov", b"r" * 10)
    desk.ask("scan", desk.place)

    def found(*words: str) -> list[str]:
        return [str(Path(each["path"]).relative_to(desk.place)) for each in desk.ask("caches", *words)["regenerable"]]

    assert found("--version", "1.9") == [f"{each}/cache/v1.9/frames.bin" for each in ("finale", "march")]
    old = ["finale/cache/v1.10/frames.bin", "finale/cache/v1.9/frames.bin"]
    assert found("--all-but-newest-version", "--project", "finale") == old
    assert found("--project", str(desk.place / "finale"), "--what", "render") == ["finale/renders/plain.mov"]
    # A cap counts what was used longest ago first, by reading as well as by writing.
    assert found("--cap", "4.1kB") == [f"{each}/cache/v1.9/frames.bin" for each in ("finale", "march")]
    assert found("--cap", "frame caches=5kB") == ["finale/cache/v1.9/frames.bin"]
    assert len(found("--cap", "0", "--cap", "frame caches=5kB")) == 8
    assert found("--cap", "1TB") == []
    assert len(found("--older-than", "1d")) == 8
    desk.write("march/fresh.txt")
    os.utime(desk.place / "march/cache/v2/frames.bin")
    assert found("--newer-than", "1d") == ["march/cache/v2/frames.bin"]
    for words, why in ((("--cap", "much"), "is not understood"), (("--cap", "cake=1kB"), "is no recipe"),
                       (("--project", "nobody"), "no project is called nobody")):  # fmt: skip
        answer = desk.run("caches", *words)
        assert (answer.status, why in answer.err, answer.err.count("\n")) == (2, True, 1)


def test_the_users_cache_folder_is_evidence_and_left_to_a_person(desk: Desk):
    from PIL import Image, PngImagePlugin

    shown = desk.write("kite.jpg", b"a picture")
    for name, master in (("here", shown), ("gone", desk.place / "gone.jpg")):
        said = PngImagePlugin.PngInfo()
        said.add_text("Thumb::URI", master.as_uri())
        path = desk.top / f"cache/thumbnails/normal/{name}.png"
        path.parent.mkdir(parents=True, exist_ok=True)
        Image.new("RGB", (4, 4)).save(path, pnginfo=said)
    (desk.top / "cache/player").mkdir()
    (desk.top / "cache/player/1.bin").write_bytes(b"cached")
    desk.ask("scan", desk.place, desk.top / "cache")
    found = desk.ask("caches")
    whats = {Path(each["path"]).name: (each["what"], each["evidence"]) for each in found["regenerable"]}
    assert whats == {
        "1.bin": ("cache", "it lies in the user's cache folder"),
        "here.png": ("thumbnail", "it is a thumbnail of the desktop"),
    }
    assert [Path(each["path"]).name for each in found["source_gone"]] == ["gone.png"]
    desk.ask("caches", "-o", desk.docket)
    rows = {line.split(",")[2].rpartition("/")[2]: line.split(",")[1] for line in desk.docket.read_text().splitlines()}
    assert (rows["1.bin"], rows["here.png"], rows["kite.jpg"], rows["gone.png"]) == ("leave", "fold", "keep", "leave")


@pytest.mark.parametrize(("glob", "taken", "passed"), [
    ("**/renders/**", "renders/a a/Renders/b/c a/renders/.x", "renders renders.txt/a arenders/b"),
    ("**/*_proxy.*", "a_proxy.mov b/c_PROXY.mp4", "a_proxy proxy.mov a_proxy.d/b"),
    ("cache/*/frame ??.bin", "cache/v1/frame 07.bin,CACHE/2/frame 1a.bin", "cache/frame 07.bin,cache/a/b/frame 07.bin"),
    ("**/logs/*.log", "logs/a.log x/logs/b.log", "logs/x/a.log log/a.log"),
    ("a.[b]", "a.[b]", "a.b x/a.[b]"),
    ("**", "a,b/c", "never.mind,x/never.x"),
])  # fmt: skip
def test_globs_of_recipes(glob: str, taken: str, passed: str):
    recipe = Recipe("r", "render", (glob,), "stem")
    # A recipe before it that takes by name must not keep it from the rest of a folder.
    book = Cookbook([Recipe("first", "log", ("**/never.*",), "stem"), recipe])

    def takes(path: str) -> Recipe | None:
        folder, slash, name = path.rpartition("/")
        shelf = book.of(folder + slash)
        found = shelf.takes(os.fsencode(name))
        by_name = found is not None and (found is not shelf.of_all or shelf.of_all.name == "first")
        for beside in ((), (b"nobody",), (b"nobody", b"x\xff")):
            assert shelf.takes_by_name([*beside, os.fsencode(name), *beside]) == by_name, path
        return found

    parts = "," if "," in taken else " "
    for path in taken.split(parts):
        assert takes(path) == recipe, path
    assert [path for path in passed.split(parts) if takes(path) == recipe] == []


@pytest.mark.parametrize("text", [
    "made.bin\t../kite.mp4\r\n", "made.bin,../kite.mp4,1920", '"made.bin" -> "../kite.mp4"', "made.bin = ../kite.mp4",
    '{"files": [{"cache": "made.bin", "source": "../kite.mp4", "frames": 12}]}', '{"made.bin": "../kite.mp4"}',
    "made.bin;URI",
])  # fmt: skip
def test_manifests_in_the_simple_forms_that_programs_write(desk: Desk, text: str):
    source = desk.write("day 1/kite.mp4", b"film")
    made = desk.write("day 1/converted media/made.bin", b"made")
    desk.write("day 1/converted media/stray.bin", b"nobody says what this is")
    desk.write("day 1/converted media/manifest.txt", text.replace("URI", source.as_uri()).encode())
    desk.ask("scan", desk.place)
    found = desk.ask("caches")
    assert [(each["path"], each["source"]["path"]) for each in found["regenerable"]] == [(str(made), str(source))]
    assert [Path(each["path"]).name for each in found["source_gone"]] == ["stray.bin"]
    desk.write("day 1/converted media/manifest.txt", b"{" * 100_000)
    desk.ask("scan", desk.place)
    assert desk.ask("caches")["regenerable"] == []


WORDS = st.text("ab1_. -é", min_size=1, max_size=5)


@settings(max_examples=300)
@given(names=st.sets(WORDS, max_size=8), text=st.text("ab1_. -é\n/%#", max_size=60))
def test_names_in_a_text_are_those_of_a_plain_search(names: set[str], text: str):
    def stands_alone(name: str) -> bool:
        places = [at for at in range(len(text)) if text.startswith(name, at)]
        before = [text[at - 1] if at else " " for at in places]
        after = [text[at + len(name) : at + len(name) + 1] for at in places]
        return any(not (b.isalnum() or b in "_-") and not a.isalnum() for b, a in zip(before, after, strict=True))

    found = Names(names).within(text)
    plain = {name for name in names if stands_alone(name)}
    assert plain <= found
    # What is found beyond that is one of a run of numbers: kite.### for kite.1
    assert all("#" in text and re.search(r"\d", name) for name in found - plain)


OWN = """[[recipe]]
name = "small ones"
what = "proxy"
files = ["**/small/**", "**/*_s.*"]
source = "stem"
marks = ["_s"]
folders = [".", "..", "../large", "project"]
kinds = ["video"]
"""


@settings(max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    files=st.sets(
        st.tuples(
            st.sampled_from(["", "p", "p/small", "p/deep", "p/deep/small", "p/large", "q/small", "q", "q/large"]),
            st.sampled_from(["a", "A", "b", "a_s", "b_s", "a_s_s", "_s"]),
            st.sampled_from([".mov", ".mp4", ".jpg", ".edl"]),
        ),
        max_size=14,
    )
)
def test_random_trees_have_the_sources_that_a_plain_search_finds(tmp_path_factory, files):
    desk = TrustingDesk(tmp_path_factory.mktemp("trees"))
    desk.trusted = ("small ones",)
    own = desk.top / "own.toml"
    own.write_text(OWN)
    for folder, stem, suffix in files:
        said = f"* FROM CLIP NAME: {folder} {stem}, which is not there\n" if suffix == ".edl" else f"{folder}{stem}"
        desk.write(f"{folder}/{stem}{suffix}", (said + suffix).encode(), 1_700_000_000)
    desk.ask("scan", desk.place)
    paths = [path.relative_to(desk.place) for path in desk.place.rglob("*") if path.is_file()]
    taken = {
        path for path in paths if path.suffix != ".edl" and ("small" in path.parts[:-1] or path.stem.endswith("_s"))
    }
    tops = {path.parent for path in paths if path.suffix == ".edl"}
    if any(top != Path() for top in tops):
        tops.discard(Path())

    def project(path: Path) -> Path | None:
        return next((folder for folder in reversed(path.parents) if folder in tops), None)

    def may_be(path: Path, source: Path) -> bool:
        stems = {path.stem.lower()}
        stems |= {path.stem.lower()[:-2]} if path.stem.lower().endswith("_s") and path.stem.lower() != "_s" else set()
        stems |= {path.stem.lower()[2:]} if path.stem.lower().startswith("_s") and path.stem.lower() != "_s" else set()
        here = path.parent
        folders = {here, Path(os.path.normpath(here / "..")), Path(os.path.normpath(here / "../large"))}
        is_near = source.parent in folders or (project(path) is not None and project(path) == project(source))
        return source.stem.lower() in stems and source.suffix in (".mov", ".mp4") and source not in taken and is_near

    found = desk.ask("caches", "--recipes", own)
    named = {True: found["regenerable"], False: found["source_gone"]}
    for is_there, entries in named.items():
        mine = {
            Path(each["path"]).relative_to(desk.place) for each in entries if each["evidence"].endswith("small ones")
        }
        assert mine == {path for path in taken if any(may_be(path, source) for source in paths) == is_there}
    for each in found["regenerable"]:
        path, source = (Path(each[key]).relative_to(desk.place) if key == "path" else
                        Path(each[key]["path"]).relative_to(desk.place) for key in ("path", "source"))  # fmt: skip
        assert not each["evidence"].endswith("small ones") or may_be(path, source)
    shutil.rmtree(desk.top)


def test_a_source_that_is_no_source_any_more_keeps_what_was_made_from_it(desk: Desk):
    clips = [desk.write(f"edit/clip{number}.mp4", b"original %d" % number) for number in range(4)]
    made = [desk.write(f"edit/proxies/clip{number}.mov", b"small %d" % number) for number in range(4)]
    copy = desk.write("backup of the card/clip3.mp4", b"original 3")
    desk.ask("scan", desk.place)
    desk.ask("caches", "-o", desk.docket)
    before = desk.docket.read_text()
    # A source that is to go itself vouches for nothing: one row cannot say both.
    lines = before.splitlines()
    source = next(line for line in lines if line.split(",")[2] == str(clips[3]))
    lines.append(source.replace(",keep,", ",fold,"))
    desk.docket.write_text("\n".join(lines) + "\n")
    both = desk.run("fold", desk.docket, "--yes")
    assert (both.status, "both staying and going" in both.err) == (2, True)
    desk.docket.write_text(before)
    clips[0].write_bytes(b"")
    clips[1].unlink()
    clips[1].mkdir()
    gone = desk.run("fold", desk.docket, "--yes")
    assert (gone.status, "made again from" in gone.err) == (2, True)
    clips[1].rmdir()
    clips[1].write_bytes(b"original 1")
    made[2].write_bytes(b"somebody drew on it")
    answer = desk.ask("fold", desk.docket, "--yes", "--method", "delete", "--for-good")
    reasons = dict(left(answer))
    assert reasons["clip0.mov"].startswith("what it is made from is empty")
    assert reasons["clip2.mov"].startswith("changed since the scan")
    assert (answer["folded"], [path.exists() for path in made]) == (2, [True, False, True, False])
    # One proxy does not vouch for another, whatever a person says of it in the docket.
    desk.write("edit/renders/a.mov", b"a")
    desk.write("edit/renders/b.mov", b"b")
    cut(desk)
    desk.ask("scan")
    desk.docket.unlink()
    desk.ask("caches", "--what", "render", "-o", desk.docket)
    edit(desk.docket, lambda row: None if row["kind"] == "project" else
         {**row, "action": "keep"} if row["path"].endswith("a.mov") else row)  # fmt: skip
    alone = desk.run("fold", desk.docket, "--yes")
    assert (alone.status, "keeps no copy in set" in alone.err) == (2, True)
    # The original is folded later, as a copy of another; what was made from it is released only while that is there.
    desk.write("edit/proxies/clip3.mov", b"small 3")
    desk.docket.unlink()
    desk.ask("scan")
    desk.ask("caches", "--name", "clip3.mov", "-o", desk.docket)
    assert desk.ask("fold", desk.docket, "--yes")["folded"] == 1
    keep = ["keep", "-o", desk.top / "copies.csv", "--give-up-under", desk.place / "edit"]
    desk.ask(*keep)
    assert desk.ask("fold", desk.top / "copies.csv", "--yes")["folded"] == 1
    kept = desk.ask("release", "2", "--yes")
    assert (kept["released"], copy.exists(), clips[3].exists()) == (0, True, False)
    assert "what it is made from is gone" in kept["left"][0]["reason"]


def test_on_a_narrow_terminal_and_with_the_users_cache_folder_in_no_place(desk: Desk):
    cut(desk, "a folder with a rather long name/edit of the highlights/highlights.edl")
    desk.write("a folder with a rather long name/edit of the highlights/renders/v3/a.mov", b"r" * 1000)
    desk.ask("scan", desk.place)
    (desk.top / "cache").mkdir()
    variables = {**os.environ, "FOLDKEEP_STOCK": str(desk.stock), "XDG_CACHE_HOME": str(desk.top / "cache")}
    shown = re.sub(r"\x1b\[[0-9;?]*[A-Za-z]", "", on_a_terminal(["caches", *TRUST], variables))
    assert max(len(line) for line in shown.splitlines()) <= 80
    assert "edit of the" in shown
    assert "your cache folder, which lies in no place" in " ".join(shown.split())
    plain = desk.run("caches").out
    assert re.search(r"render +3 +1 +1\.00 kB +\d{4}-\d\d-\d\d +edit of the highlights +recipe preview renders", plain)
