"""Looking before deciding: facts, space, lists, inventories, and what changed between two of them."""

import io
import json
import os
import random
import re
import warnings
from collections import Counter
from pathlib import Path

import pytest
from PIL import Image

from foldkeep.find.space import space_tree
from foldkeep.model import Facts, Filter
from foldkeep.show.page.facts import clock, fact_words
from foldkeep.signals import Apart, NotRead
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


@pytest.mark.usefixtures("own_helpers")
def test_a_reader_that_hangs_or_dies_costs_one_answer(desk: Desk, monkeypatch):
    path = desk.write("kite.jpg", photo())
    pipe = desk.place / "pipe.jpg"
    os.mkfifo(pipe)
    with Apart(seconds=0.0) as impatient, pytest.raises(NotRead, match="not read within 0 seconds"):
        impatient.facts(os.fsencode(path), "photo")
    with Apart() as apart:
        assert apart.facts(os.fsencode(path), "photo").format == "JPEG"
        apart._helper.kill()
        with pytest.raises(NotRead, match="reading it failed"):
            apart.facts(os.fsencode(path), "photo")
        assert apart.facts(os.fsencode(path), "photo").camera == "Windmere Meadow 2"
        assert apart.facts(os.fsencode(pipe), "photo").problem
        with pytest.raises(NotRead, match="no such file"):
            apart.picture(os.fsencode(path) + b".gone", "photo")
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
    known = sorted(path for path in desk.place.rglob("*") if path.is_file())
    one_name = {path.lstat().st_ino: path for path in known}.values()  # hard links to a file are one
    files = [(path.relative_to(desk.place), path.lstat()) for path in one_name]
    assert len(files) == len(known) - 1
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


def test_a_map_of_one_kind_tells_folders_by_colour_and_own_kinds_have_their_own(desk: Desk):
    for name in ("day 1/a.jpg", "day 2/b.jpg", "day 2/c.jpg"):
        desk.write(name, b"p" * 9000)
    (desk.top / "own.toml").write_text('[kinds]\nscore = ["mxl"]\nplan = ["pln"]\n[colors]\nscore = "#010203"\n')
    desk.ask("scan", desk.place, "--config", desk.top / "own.toml")

    def drawn(*words: object) -> str:
        (desk.top / "map.svg").unlink(missing_ok=True)
        desk.ask("space", *words, "--treemap", desk.top / "map.svg", "--config", desk.top / "own.toml")
        return (desk.top / "map.svg").read_text().lower()

    one_kind = drawn()
    assert ("#0072b2" in one_kind, "#e69f00" in one_kind, "day 2  18.0 kb" in one_kind) == (True, True, True)
    assert "photo  " not in one_kind
    desk.write("day 1/march.mxl", b"s" * 9000)
    desk.write("day 1/stage.pln", b"s" * 9000)
    desk.ask("scan", "--config", desk.top / "own.toml")
    several = drawn()
    assert all(word in several for word in ("photo  27.0 kb", "score  9.00 kb", "plan  9.00 kb", "#010203"))
    assert ("#882255" in several, "#bdbdbd" in several) == (True, False), "no own kind looks like what has none"
