"""What `duplicates` finds: whole folders against a plain comparison, filters, criteria, tables."""

import csv
import os
import random
from collections import Counter
from itertools import pairwise, permutations
from pathlib import Path

import pytest

from foldkeep.find.copies import FolderMatch, Question, Relation, compare_folders
from foldkeep.model import Filter
from foldkeep.scan import add_place, scan
from foldkeep.stock import Stock
from harness.desks import Desk, read_everything
from harness.oracles import OneByOne


def grow(top: Path, choose: random.Random) -> None:
    """Make a tree in which folders copy one another, whole, in part and renamed."""
    folders = [top / name for name in ("a", "a/x", "a/y", "b", "b/x", "b/x/deep", "c")]
    for folder in choose.sample(folders, choose.randint(2, len(folders))):
        folder.mkdir(parents=True, exist_ok=True)
        for _ in range(choose.randint(0, 3)):
            name = choose.choice(["one.jpg", "two.jpg", "three.jpg"])
            (folder / name).write_bytes(b"%d" % choose.randint(1, 5))


def below(top: Path) -> dict[bytes, Counter]:
    """Return, for each folder with files, the multiset of contents below it."""
    found: dict[bytes, Counter] = {}
    for path, digest, _ in read_everything(os.fsencode(top)):
        folder = os.path.dirname(path)
        while len(folder) >= len(os.fsencode(top)):
            found.setdefault(folder, Counter())[digest] += 1
            folder = os.path.dirname(folder)
    return found


def is_within(folder: bytes, other: bytes) -> bool:
    return folder == other or folder.startswith(other + b"/")


def check(matches: list[FolderMatch], contents: dict[bytes, Counter], wanted: bytes | None = None) -> None:
    """Compare what was found with the plain truth."""
    for match in matches:
        first, *others = [contents[folder.path] for folder in match.folders]
        for one, other in permutations((folder.path for folder in match.folders), 2):
            assert not is_within(one, other)
        for other in others:
            shared = sum(number for digest, number in first.items() if digest in other)
            assert shared == match.shared_files
            if match.relation is Relation.SAME:
                assert first == other
            elif match.relation is Relation.CONTAINED:
                assert shared == first.total()
                assert first != other
            else:
                assert 0.5 <= shared / first.total() < 1
        assert [facts.files for facts in match.folders] == [c.total() for c in (first, *others)]
    said = set()
    for match in matches:
        paths = [folder.path for folder in match.folders]
        if match.relation is Relation.SAME:
            said |= set(permutations(paths, 2))
        elif match.relation is Relation.CONTAINED:
            said.add((paths[0], paths[1]))
    twins = {pair for match in matches if match.relation is Relation.SAME
             for pair in permutations([folder.path for folder in match.folders], 2)}  # fmt: skip
    # Of folders that are the same, one stands for all that lie in another.
    said |= {(twin, other) for one, twin in twins for first, other in said if first == one and twin != other}
    for one, other in permutations(contents, 2):
        if wanted is not None and not any(is_within(side, wanted) for side in (one, other)):
            continue
        if not is_within(one, other) and not is_within(other, one) and set(contents[one]) <= set(contents[other]):
            assert any(
                is_within(one, first) and (is_within(other, second) or is_within(second, other))
                for first, second in said
            ), (one, other)


@pytest.mark.more
def test_folders_that_agree_are_those_of_a_plain_comparison(tmp_path: Path):
    relations: Counter = Counter()
    for seed in range(150):
        top = tmp_path / str(seed)
        top.mkdir()
        grow(top, random.Random(seed))
        with Stock.open(str(tmp_path / f"stock-{seed}"), create=True) as stock:
            scan(stock, [add_place(stock, os.fsencode(top))], OneByOne())
            matches = compare_folders(stock)
            below_a = compare_folders(stock, Question(wanted=Filter(under=(os.fsencode(top / "a"),))))
        contents = below(top)
        check(matches, contents)
        check(below_a, contents, os.fsencode(top / "a"))
        relations.update(match.relation for match in matches)
    assert all(relations[relation] > 20 for relation in Relation), relations


def folders(desk: Desk, *words: str) -> list[tuple[str, int, list[str]]]:
    matches = desk.ask("duplicates", "--folders", *words)["folders"]
    place = len(str(desk.place)) + 1
    return [(m["relation"], m["shared_files"], [f["path"][place:] for f in m["folders"]]) for m in matches]


def test_a_copied_card_is_told_once_at_its_top(desk: Desk):
    for number in range(6):
        desk.write(f"card/dcim/{number % 2}/{number}.jpg", b"%d" % number * 9)
        desk.write(f"copy/dcim/{number % 2}/{number}.jpg", b"%d" % number * 9)
        desk.write(f"renamed/{number}-kite.jpg", b"%d" % number * 9)
        desk.write(f"all/more/{number}.jpg", b"%d" % number * 9)
        desk.write(f"all/more/{number + 10}.jpg", b"%d" % (number + 10) * 9)
    desk.write("part/0.jpg", b"0" * 9)
    desk.write("part/alone.jpg", b"alone")
    desk.write("empty/nothing.jpg", b"")
    desk.ask("scan", desk.place)
    assert folders(desk) == [
        ("contained", 6, ["card", "all/more"]),
        ("same", 6, ["card", "copy", "renamed"]),
        ("overlap", 1, ["part", "all/more"]),
    ]
    assert ("same", 6, ["card", "copy"]) in folders(desk, "--names-too")
    assert not any("renamed" in row[2] for row in folders(desk, "--names-too"))
    assert folders(desk, "--under", str(desk.place / "copy")) == [
        ("same", 6, ["card", "copy", "renamed"]),
        ("contained", 6, ["copy", "all/more"]),  # asked anew: the first of the three is not asked about
    ]
    assert [row[0] for row in folders(desk, "--share", "60")] == ["contained", "same"]
    assert (
        "all 6 files of the first are also in the second, which has 6 more" in desk.run("duplicates", "--folders").out
    )


@pytest.fixture(scope="module")
def scanned(sample: Path, tmp_path_factory: pytest.TempPathFactory) -> Desk:
    desk = Desk(tmp_path_factory.mktemp("scanned"))
    desk.ask("scan", sample / "library")
    desk.ask("scan", sample / "shelf-drive", "--role", "backup")
    return desk


def names(answer) -> set[str]:
    return {os.path.basename(copy["path"]) for one in answer["sets"] for copy in one["copies"]}


@pytest.mark.parametrize(
    ("words", "sets", "some"),
    [
        ("", 27, "poster.png"),
        ("--kind video", 2, "DRN_0001.mp4"),
        ("--kind video --kind audio", 3, "07 Opening Music.mp3"),
        ("--name 07*", 1, "01 March of the Box Kites.mp3"),
        ("--name *.PNG --name *.mp4", 3, "poster (1).png"),
        ("--not-name *.jpg", 4, "poster.png"),
        ("--under LIBRARY/edit", 2, "DRN_0002.mp4"),
        ("--not-under LIBRARY/edit --kind video", 2, "DRN_0002.mp4"),
        ("--larger-than 300kB", 2, "DRN_0001.mp4"),
        ("--smaller-than 60kB --kind audio", 1, "07 Opening Music.mp3"),
        ("--role backup", 0, None),
        ("--role backup --across", 8, "WKD_0001.jpg"),
        ("--place library --kind audio", 1, "07 Opening Music.mp3"),
        ("--older-than 1d --newer-than 50y", 27, "poster.png"),
        ("--newer-than 1d", 0, None),
        ("--same name,size", 22, "DRN_0001.mp4"),
        ("--same name,content", 22, "DRN_0001.mp4"),
        ("--same size,modified", 14, "WKD_0009.jpg"),
    ],
)
def test_filters_and_criteria(scanned: Desk, sample: Path, words: str, sets: int, some: str | None):
    asked = [word.replace("LIBRARY", str(sample / "library")) for word in words.split()]
    answer = scanned.ask("duplicates", *asked)
    assert answer["totals"]["sets"] == len(answer["sets"])
    assert len(answer["sets"]) == sets
    assert some is None or some in names(answer)
    assert sum(kind["reclaimable"] for kind in answer["kinds"].values()) == answer["totals"]["reclaimable"]


@pytest.mark.parametrize("order", ["saving", "size", "count", "name"])
def test_sets_come_in_the_order_asked_for(scanned: Desk, order: str):
    sets = scanned.ask("duplicates", "--sort", order)["sets"]
    keys = {
        "saving": lambda one: -one["reclaimable"],
        "size": lambda one: -one["size"],
        "count": lambda one: -len(one["copies"]),
        "name": lambda one: min(os.path.basename(copy["path"]) for copy in one["copies"]),
    }
    assert all(keys[order](one) <= keys[order](two) for one, two in pairwise(sets))
    assert scanned.ask("duplicates", "--sort", order, "--top", "5")["sets"] == sets[:5]
    assert len({one["id"] for one in sets}) == len(sets)


def test_sets_for_looking_only_say_that_they_are_not_proven_and_are_not_folded(desk: Desk):
    desk.write("in/kite.jpg", b"k" * 50)
    desk.write("kite.jpg", b"K" * 50)
    desk.write("in/same.jpg", b"s" * 60)
    desk.write("same.jpg", b"s" * 60)
    desk.ask("scan", desk.place)
    answer = desk.ask("duplicates", "--same", "name,size,modified")
    assert sorted(one["proven"] for one in answer["sets"]) == [False, True]
    assert desk.run("duplicates", "--same", "name").out.count("not proven") == 1
    kept = desk.ask("keep", "-o", desk.docket, "--same", "name")
    assert (kept["spares"], kept["undecided"]) == (1, 1)


def test_the_table_holds_every_copy_and_is_not_overwritten(scanned: Desk):
    table = scanned.top / "sets.csv"
    answer = scanned.ask("duplicates", "--csv", table)
    with table.open(newline="") as stream:
        rows = list(csv.DictReader(stream))
    copies = [(one["id"], copy["uri"]) for one in answer["sets"] for copy in one["copies"]]
    assert [(row["set"], row["uri"]) for row in rows] == copies
    assert f"is taken, so the table is in {scanned.top}/sets-2.csv" in scanned.run("duplicates", "--csv", table).err


def test_overview_details_and_contents_that_contradict_their_suffix(scanned: Desk, desk: Desk):
    out = scanned.run("duplicates", "--details").out
    assert "Also in a backup or archive: 8 contents" in out
    assert "changed 2025-" in out
    one = desk.write("kite.png", b"\xff\xd8\xff\xe0" + b"j" * 100)
    desk.write("in/kite.jpg", one.read_bytes())
    desk.write("nothing.jpg", b"")
    assert desk.ask("scan", desk.place)["contradictions"] == 1
    out = desk.run("duplicates", "--details").out
    assert out.count("its first bytes say JPEG") == 1
    assert "Empty files, not compared: 1." in out


def test_a_content_has_one_kind_and_what_is_counted_follows_the_filters(desk: Desk):
    """A photo under a name without a meaning is a photo; what a filter leaves out is counted nowhere."""
    for name in ("a.jpg", "b", "shelf/c.jpg"):
        desk.write(name, b"kite")
    for name in ("e.jpg", "f.mp4"):
        desk.write(f"empty/{name}", b"")
    desk.ask("scan", desk.place, "--read-all")
    desk.ask("scan", desk.place / "shelf", "--role", "backup")
    found = desk.ask("duplicates")
    assert [one["kind"] for one in found["sets"]] == ["photo"]
    assert list(desk.ask("coverage")["kinds"]) == ["photo"]
    assert (found["empty_files"], found["backed_up"]["contents"]) == (2, 1)
    for words, empty, backed_up in (
        (["--kind", "video"], 1, 0),
        (["--name", "*.jpg"], 1, 1),
        (["--under", desk.place / "shelf"], 0, 1),
    ):
        some = desk.ask("duplicates", *words)
        assert (some["empty_files"], some["backed_up"]["contents"]) == (empty, backed_up), words
