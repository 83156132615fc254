"""Which copy stays, and what is said of it."""

import csv
import os
import re
from collections import Counter, defaultdict
from itertools import groupby
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from foldkeep.find.copies import Question, duplicates
from foldkeep.formats.sidecars import parse_xmp
from foldkeep.keep import Wishes, propose, shapes
from foldkeep.keep.dockets.lacking import lacking_copies
from foldkeep.keep.proposal import Proposal
from foldkeep.model import Action, CopySet, DocketRow, Filter, Place, Role, StockFile
from foldkeep.model.copy_names import copy_marks
from foldkeep.model.files import freed_files
from foldkeep.stock import Stock
from harness.desks import Desk

PLACE = Place(1, b"/kites", Role.WORKING, "kites", 1)


def chosen(desk: Desk, *words: str) -> dict[str, tuple[str, str]]:
    """Scan, choose, and return action and reason by the path below the place."""
    desk.run("scan", desk.place)
    desk.docket.unlink(missing_ok=True)
    answer = desk.run("keep", "-o", desk.docket, *words)
    assert answer.status == 0, answer
    with desk.docket.open(newline="") as stream:
        return {
            os.path.relpath(row["path"], desk.place): (row["action"], row["reason"]) for row in csv.DictReader(stream)
        }


def kept(desk: Desk, *words: str) -> list[str]:
    return sorted(path for path, (action, _) in chosen(desk, *words).items() if action == "keep")


def write(desk: Desk, *rows: tuple[str, int]) -> None:
    for path, second in rows:
        desk.write(path, b"k" * 40, 1_750_000_000 + second)


THREE = (("bay/kite.jpg", 2), ("deep/down/er/kite.jpg", 3), ("old/kite (1).jpg", 1))


@pytest.mark.parametrize(
    ("words", "keeper", "why"),
    [
        ("", "bay/kite.jpg", "its folder stays together: oldest"),
        ("--prefer oldest", "old/kite (1).jpg", "oldest"),
        ("--prefer newest", "deep/down/er/kite.jpg", "newest"),
        ("--prefer shortest-path", "bay/kite.jpg", "shortest path"),
        ("--prefer longest-path", "deep/down/er/kite.jpg", "longest path"),
        ("--prefer under:PLACE/deep --prefer newest", "deep/down/er/kite.jpg", "under PLACE/deep"),
        ("--prefer place:place --prefer volume:place --prefer oldest", "old/kite (1).jpg", "oldest"),
        ("--give-up-under PLACE/bay", "deep/down/er/kite.jpg", "sorted into a folder of its own"),
        ("--give-up-under PLACE/bay --give-up-under PLACE/deep", "old/kite (1).jpg", "not under PLACE/deep"),
    ],
)
def test_the_rules_narrow_in_their_order_and_say_which_decided(desk: Desk, words, keeper, why):
    write(desk, *THREE)
    rows = chosen(desk, *words.replace("PLACE", str(desk.place)).split())
    assert [path for path, (action, _) in rows.items() if action == "keep"] == [keeper]
    assert rows[keeper][1] == why.replace("PLACE", str(desk.place))
    assert all(action == "fold" and reason for path, (action, reason) in rows.items() if path != keeper)


def test_sets_no_rule_decides_and_sets_that_must_stay_are_left_and_told(desk: Desk):
    write(desk, *THREE)
    rows = chosen(desk, "--only-these-rules", "--prefer", "plain-name")
    assert set(rows.values()) == {("leave", "no rule decides between these copies")}
    for protect in ("role:working", "place:place", str(desk.place), "*.jpg"):
        assert "fold" not in {action for action, _ in chosen(desk, "--protect", protect).values()}
    (desk.top / "docket.csv").unlink()
    answer = desk.ask("keep", "-o", desk.docket, "--protect", "*.jpg")
    assert (answer["protected"], answer["protected_bytes"], answer["spares"]) == (2, 80, 0)
    said = desk.run("keep", "-o", desk.docket, "--protect", "*.jpg").out
    assert "2 protected spares stay beside the keepers: 80 B that would come free otherwise." in said


@pytest.mark.parametrize(("words", "held", "goes"), [
    ("--protect PLACE/old", {"old/kite (1).jpg": "protected: PLACE/old"}, {"deep/down/er/kite.jpg"}),
    ("--protect *(1)*", {"old/kite (1).jpg": "protected: *(1)*"}, {"deep/down/er/kite.jpg"}),
    ("--protect */er/*", {"deep/down/er/kite.jpg": "protected: */er/*"}, {"old/kite (1).jpg"}),
    ("--protect PLACE/bay", {}, {"deep/down/er/kite.jpg", "old/kite (1).jpg"}),
    ("--protect PLACE/old --give-up-under PLACE/bay", {"old/kite (1).jpg": "protected: PLACE/old"}, {"bay/kite.jpg"}),
    ("--under PLACE/bay", {"deep/down/er/kite.jpg": "not among", "old/kite (1).jpg": "not among"}, set()),
    ("--not-under PLACE/old", {"old/kite (1).jpg": "not among"}, {"deep/down/er/kite.jpg"}),
    ("--name *(1)*", {"deep/down/er/kite.jpg": "not among"}, {"old/kite (1).jpg"}),
])  # fmt: skip
def test_what_is_protected_or_not_asked_for_stays_beside_the_keeper(desk: Desk, words, held, goes):
    write(desk, *THREE)
    rows = chosen(desk, *words.replace("PLACE", str(desk.place)).split())
    keeper = "deep/down/er/kite.jpg" if "give-up" in words else "bay/kite.jpg"
    assert rows[keeper][0] == "keep"
    assert {path for path, (action, _) in rows.items() if action == "fold"} == goes
    assert {path: why for path, (action, why) in rows.items() if action == "leave"}.keys() == held.keys()
    assert all(rows[path][1].startswith(why.replace("PLACE", str(desk.place))) for path, why in held.items())


def test_where_the_spares_lie_elsewhere_that_is_said_with_the_way_to_them(desk: Desk):
    desk.write("2021/kite.jpg", b"k" * 40, 1_750_000_000)
    desk.write("2021/line.jpg", b"l" * 40, 1_750_000_000)
    laptop = desk.top / "Old laptop"
    for name in ("kite", "line"):
        (laptop / "dump").mkdir(parents=True, exist_ok=True)
        (laptop / f"dump/copy of {name}.jpg").write_bytes(name[0].encode() * 40)
    desk.run("scan", desk.place)
    desk.run("scan", laptop)
    answer = desk.run("keep", "-o", desk.docket, "--under", desk.place / "2021")
    assert "0 spares" in answer.out
    assert f"The spares of 2 sets lie elsewhere, in {laptop}/dump. To take those:" in answer.out
    assert f"foldkeep keep --under '{laptop}/dump'" in answer.out
    assert "foldkeep fold" not in answer.out
    assert desk.ask("keep", "-o", desk.docket, "--under", laptop / "dump")["spares"] == 2


def test_as_many_copies_stay_as_are_asked_for(desk: Desk):
    write(desk, *THREE)
    os.link(desk.place / "bay/kite.jpg", desk.place / "bay/link.jpg")
    two = chosen(desk, "--at-least", "2", "--prefer", "newest")
    assert {path: action for path, (action, _) in two.items()} == {
        "deep/down/er/kite.jpg": "keep",
        "bay/kite.jpg": "keep",
        "bay/link.jpg": "leave",  # a hard link to a keeper is no third copy
        "old/kite (1).jpg": "fold",
    }
    assert two["bay/kite.jpg"][1] == "2 copies are to stay"
    assert {action for action, _ in chosen(desk, "--at-least", "9").values()} == {"keep", "leave"}
    other = desk.top / "second"
    other.mkdir()
    (other / "kite.jpg").write_bytes(b"k" * 40)
    desk.run("scan", other)
    assert kept(desk, "--per", "place") == ["../second/kite.jpg", "bay/kite.jpg"]
    desk.run("places", "second", "--role", "backup")
    assert kept(desk) == ["bay/kite.jpg"]
    assert kept(desk, "--across", "--per", "role") == ["../second/kite.jpg", "bay/kite.jpg"]


def test_a_second_keeper_lies_on_another_disk_if_there_is_one():
    from foldkeep.keep import Chooser
    from foldkeep.model.disks import Disks

    with Stock.open(":memory:", create=True) as stock:
        volumes = [stock.places.volume(f"uuid:{n}", f"/dev/kite{n}") for n in range(4)]
        for volume, disk in zip(volumes, ("id:one", "id:one", "id:two", ""), strict=True):
            stock.places.set_disks(volume, Disks(frozenset({disk} - {""}), "" if disk else "not known"))
        copies = [
            StockFile(f"/kites/{n}.jpg".encode(), 10, n, "photo", PLACE, volume, n, 1, 0, b"d" * 32)
            for n, volume in enumerate(volumes)
        ]
        chooser = Chooser(stock, Wishes(at_least=2))
        kept = [
            [verdict.copy for verdict in verdicts if verdict.action is Action.KEEP]
            for some in (copies, [copies[0], copies[1]], [copies[0], copies[3]])
            for verdicts in [chooser.choose(CopySet("s1", b"d" * 32, tuple(some), 20)).verdicts]
        ]
        said = chooser.choose(CopySet("s1", b"d" * 32, tuple(copies), 20)).verdicts[1].reason
    # A partition of the same disk is no other disk, and one that nobody knows is not said to be.
    assert kept == [[copies[0], copies[2]], copies[:2], [copies[0], copies[3]]]
    assert said == "2 copies are to stay, this one on another disk"


def test_what_people_wrote_about_a_copy_speaks_for_it(desk: Desk):
    xmp = (
        '<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
        '<rdf:Description xmlns:xmp="http://ns.adobe.com/xap/1.0/" xmlns:dc="http://purl.org/dc/elements/1.1/"'
        ' xmp:Rating="4" xmp:CreateDate="{}"><dc:subject><rdf:Bag><rdf:li>kites</rdf:li>{}</rdf:Bag></dc:subject>'
        "</rdf:Description></rdf:RDF></x:xmpmeta>"
    )
    write(desk, ("b/kite.jpg", 2), ("a/kite.jpg", 1), ("c/kite.jpg", 3))
    desk.write("b/kite.xmp", xmp.format("2025-06-13T10:00:00+02:00", "<rdf:li>delta</rdf:li>").encode())
    desk.write("c/kite.jpg.xmp", xmp.format("2025-06-12T10:00:00", "").encode())
    desk.write("a/other.xmp", b"of another")
    assert chosen(desk)["b/kite.jpg"] == ("keep", "has the most written about it")
    assert kept(desk, "--prefer", "earliest-capture") == ["c/kite.jpg"]
    assert parse_xmp(xmp.format("", "").encode()).facts == 2
    for bad in (b"", b"<x", b"\xff\xfe", b'<!DOCTYPE a [<!ENTITY b "c">]><a>&b;</a>'):
        with pytest.raises(ValueError, match="not XMP"):
            parse_xmp(bad)


def test_a_sidecar_stays_where_its_picture_stays(desk: Desk):
    for folder in ("a", "b"):
        desk.write(f"{folder}/kite.jpg", b"k" * 40)
        desk.write(f"{folder}/kite.xmp", b"the same words")
    desk.write("a/lonely.jpg", b"only here")
    desk.write("a/lonely.xmp", b"the same words")
    desk.write("c/left behind.xmp", b"the same words")
    rows = chosen(desk, "--give-up-under", str(desk.place / "a"))
    assert {path: action for path, (action, _) in rows.items()} == {
        "a/kite.jpg": "fold",
        "b/kite.jpg": "keep",
        "a/kite.xmp": "fold",
        "a/lonely.xmp": "leave",
        "b/kite.xmp": "keep",
        "c/left behind.xmp": "fold",
    }
    assert rows["a/lonely.xmp"][1] == "belongs to lonely.jpg, which stays"
    # The one beside the spare is a row itself.
    assert desk.ask("keep", "--give-up-under", desk.place / "a")["sidecars_beside"] == 0


def test_a_sidecar_of_what_goes_comes_along_and_is_no_set_of_its_own(desk: Desk):
    for folder in ("a", "b"):
        desk.write(f"{folder}/kite.jpg", b"k" * 40)
        desk.write(f"{folder}/kite.xmp", b"the same words")
    desk.write("d/kite.jpg", b"k" * 40)
    assert chosen(desk, "--prefer", f"under:{desk.place}/d").keys() == {"a/kite.jpg", "b/kite.jpg", "d/kite.jpg"}
    told = "2 sidecars lie beside them; fold tells which go along with their spares."
    assert told in desk.run("keep", "--prefer", f"under:{desk.place}/d").out
    assert desk.ask("fold", desk.docket, "--yes")["left"] == []
    assert {path.parent.name for path in desk.place.glob("[a-d]/*")} == {"d"}


K, F, L = Action.KEEP, Action.FOLD, Action.LEAVE


@pytest.mark.parametrize(
    ("rows", "lacking", "beside"),
    [
        ([(K, "photo", 1), (F, "photo", 1)], [], [0]),
        ([(K, "photo", 1), (F, "photo", 2)], [1], [0]),
        ([(L, "photo", 1), (K, "photo", 2), (F, "video", 3)], [2], [1, 0]),  # the keeper first
        ([(L, "photo", 1), (L, "photo", 2), (F, "audio", 3)], [2], [0, 1]),
        ([(K, "photo", 1), (L, "photo", 2), (F, "photo", 2)], [], [0, 1]),
        ([(K, "photo", 1), (L, "photo", None), (F, "photo", 2)], [], [0, 1]),  # not known of all that stays
        ([(K, "photo", 1), (F, "photo", None)], [], [0]),
        ([(F, "photo", 1)], [], []),  # that set names nothing that stays: another rule refuses it
        ([(K, "sidecar", 1), (F, "sidecar", 2)], [], [0]),
        ([(K, "photo", 1), (F, "cache", 2)], [], [0]),
    ],
)  # fmt: skip
def test_media_are_told_that_go_while_no_copy_of_them_stays(rows, lacking, beside):
    made = [
        DocketRow("s", action, b"/%d" % number, 9, kind, 0, digest and bytes([digest]) * 32, "")
        for number, (action, kind, digest) in enumerate(rows)
    ]
    found, staying = lacking_copies(made)
    assert found == [made[number] for number in lacking]
    assert staying.get("s", []) == [made[number] for number in beside]


def test_of_two_copies_of_a_shoot_one_folder_stays_whole(sample_desk: Desk):
    sample_desk.proposed()
    proposal = sample_desk.ask("keep", "-o", sample_desk.top / "again.csv")
    with sample_desk.docket.open(newline="") as stream:
        going = {row["path"] for row in csv.DictReader(stream) if row["action"] == "fold"}
    left = {
        os.path.relpath(folder, sample_desk.place): {str(Path(folder, name)) in going for name in names}
        for folder, _, names in os.walk(sample_desk.place)
        if names
    }
    emptied = {folder for folder, states in left.items() if states == {True}}
    assert {"card copies/camera A saturday", "imported", "imported again"} <= emptied
    assert left["stills/camera-a/day-2"] == left["stills/camera-b/day-3"] == {False}
    assert proposal["emptied_folders"] == len(emptied)


folders = st.sampled_from(["a", "b", "c/raw", "d/raw", "d/x/raw", "e f"])
shoots = st.lists(st.tuples(st.sets(folders, min_size=1, max_size=3), st.integers(0, 2)), min_size=1, max_size=14)


def was_sorted(folder: str, contents: dict[str, set[int]]) -> bool:
    """Tell whether others, each whole or all in one tree and mostly made of it, together hold all of a folder: then
    those stay, and it empties.
    """
    inside = contents[folder]
    shared = {other: held & inside for other, held in contents.items() if other != folder and held & inside}
    parts = {other: both for other, both in shared.items() if len(both) < 0.9 * len(inside)}
    whole = {other: both for other, both in parts.items() if len(both) >= 0.9 * len(contents[other])}
    return make_up(inside, whole) or (
        len(parts) > 1
        and bool(top := os.path.commonpath(parts))
        and not f"{folder}/".startswith(f"{top}/")
        and 2 * sum(map(len, parts.values())) >= sum(len(contents[other]) for other in parts)
        and make_up(inside, parts)
    )


def make_up(inside: set[int], parts: dict[str, set[int]]) -> bool:
    apart = sum(map(len, parts.values())) == len(set[int]().union(*parts.values()))
    return apart and 1 < len(parts) <= len(inside) / 2 and set[int]().union(*parts.values()) == inside


@settings(max_examples=60, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(shoots)
def test_a_shoot_is_never_split_between_two_folders(tmp_path_factory, shoot):
    """Whatever else lies there and however old the files are: of any two folders, one wins all that they share."""
    desk = Desk(tmp_path_factory.mktemp("shoot"))
    for number, (where, age) in enumerate(shoot):
        for folder in sorted(where):
            age = (age * 7 + len(folder)) % 5
            desk.write(f"{folder}/{number}.jpg", b"%d" % number * 40, 1_750_000_000 + age)
    rows = chosen(desk)
    winners: dict[tuple[str, ...], set[str]] = defaultdict(set)
    for _, copies in groupby(sorted(rows, key=os.path.basename), key=os.path.basename):
        copies = sorted(copies)
        keeper = next(path for path in copies if rows[path][0] == "keep")
        if len(copies) == 2:
            winners[tuple(map(os.path.dirname, copies))].add(os.path.dirname(keeper))
    assert all(len(folders) == 1 for folders in winners.values())
    contents = {
        folder: {n for n, (where, _) in enumerate(shoot) if folder in where} for where, _ in shoot for folder in where
    }
    flat = {folder for folder in contents if was_sorted(folder, contents)}
    for folder, inside in contents.items():
        if any(inside < other for name, other in contents.items() if name not in flat):
            whole = all(rows.get(f"{folder}/{n}.jpg", ("keep",))[0] == "fold" for n in inside)
            assert whole, f"{folder} lies whole in another folder and must empty"


def test_trees_stay_together_as_well(desk: Desk):
    """Of two copies of a tree the parts do not go different ways because of what lies beside them."""
    for tree in ("one", "two"):
        for number in range(4):
            desk.write(f"{tree}/raw/{number}.arw", b"r%d" % number * 40)
            desk.write(f"{tree}/jpeg/{number}.jpg", b"j%d" % number * 40)
    desk.write("one/raw/notes.txt", b"only here")
    desk.write("two/jpeg/more.jpg", b"only there")
    desk.write("two/jpeg/even more.jpg", b"only there too")
    assert {path.split("/")[0] for path in kept(desk)} == {"two"}


@pytest.mark.parametrize(
    ("names", "marked"),
    [
        ("kite.jpg kite-2.jpg", "kite-2.jpg"),
        ("day-2.jpg day-3.jpg", ""),
        ("WKD_0001.jpg 2025-06-13_WKD_0001.jpg", "2025-06-13_WKD_0001.jpg"),
        ("WKD_0001.jpg WKD_0001-20250613T104107.jpg", "WKD_0001-20250613T104107.jpg"),
        ("20250613-104107.jpg other.jpg", ""),
        ("kite.jpg KITE_2.JPG kite(1).jpg", "KITE_2.JPG kite(1).jpg"),
    ],
)
def test_additions_are_marks_only_beside_the_name_without_them(names, marked):
    found = copy_marks([name.encode() for name in names.split()])
    assert [name for name, mark in zip(names.split(), found, strict=True) if mark] == marked.split()


def test_settings_are_asked_after_the_command_line(desk: Desk):
    write(desk, *THREE)
    config = desk.top / "settings.toml"
    config.write_text('[keep]\nprefer = ["newest"]\nprotect = ["*.xmp"]\nat_least = 1\n')
    assert kept(desk, "--config", str(config)) == ["deep/down/er/kite.jpg"]
    assert kept(desk, "--config", str(config), "--prefer", "oldest") == ["old/kite (1).jpg"]
    shown = desk.run("keep", "--explain", "--config", config, "--prefer", "oldest").out
    assert re.search(r"1  oldest .*\n2  newest .*\n\nNever goes: \*\.xmp", shown)
    assert desk.ask("keep", "--explain")["rules"][0]["rule"] == "known"
    for text, why in (
        ("at_least = 0", "write a number from 1 on"),
        ('per = "desk"', "write one of volume, place, role"),
    ):
        config.write_text(f"[keep]\n{text}\n")
        assert why in desk.run("keep", "-o", desk.docket, "--config", config).err


@pytest.mark.parametrize(
    "wanted",
    [
        Filter(kinds=("photo",)),
        Filter(not_names=("*copy*",), names=("*.JPG", "p*")),
        Filter(larger_than=100_000, smaller_than=300_000),
        Filter(places=("place",), roles=(Role.WORKING,)),
        Filter(roles=(Role.BACKUP,)),
        Filter(modified_before_ns=1_750_000_000 * 10**9),
        Filter(modified_after_ns=1_750_000_000 * 10**9),
    ],
)
def test_a_filter_takes_in_memory_what_it_takes_in_the_stock(sample_desk: Desk, wanted):
    sample_desk.ask("scan", sample_desk.place)
    with Stock.open(str(sample_desk.stock)) as stock:
        for filter_ in (wanted, Filter(under=(os.fsencode(sample_desk.place / "stills"),), kinds=wanted.kinds)):
            sets = list(duplicates(stock).sets())
            known = sorted(os.path.basename(c.path) for one in sets for c in one.copies if filter_.takes(c))
            assert known == sorted(name for _, _, name, _, _ in stock.sets.copies(filter_))


@pytest.mark.parametrize(
    ("links", "known", "free"),
    [
        ([1, 1, 1], [1, 1, 1], 30),
        ([2, 1], [2, 1], 20),  # one has two names, and both go
        ([2, 1], [1, 1], 10),  # one has a name elsewhere and keeps its space
        ([2, 2], [1, 1], 0),
        ([3, 2, 1], [2, 2, 1], 20),
    ],
)
def test_space_comes_free_only_with_the_last_name_of_a_file(links, known, free):
    names = [
        StockFile(f"/kites/{inode}-{n}.jpg".encode(), 10, 1, "photo", PLACE, 1, inode, links[inode], 0, b"d" * 32)
        for inode, count in enumerate(known)
        for n in range(count)
    ]
    assert 10 * len(freed_files(names)) == free


def test_what_is_not_proven_or_not_here_is_left(desk: Desk):
    write(desk, ("a.jpg", 1), ("in/a.jpg", 2))
    desk.write("one/b.jpg", b"1" * 50)
    desk.write("two/b.jpg", b"2" * 50)
    rows = chosen(desk, "--same", "name,size")
    assert rows["one/b.jpg"] == rows["two/b.jpg"] == ("leave", "not proven to have the same content")
    assert rows["in/a.jpg"][0] == "fold"
    with Stock.open(str(desk.stock)) as stock:
        found = duplicates(stock, Question())
        proposal = Proposal()
        assert [row.reason for row in propose(stock, found, Wishes(), proposal, away={1})] == ["its place is away"] * 2
    assert (proposal.sets, proposal.spares, proposal.all_stay) == (1, 0, 1)


_files = st.lists(
    st.tuples(
        st.sampled_from(["a/raw", "a/jpg", "b/raw", "b/jpg", "card", "2024 kites", "a copy", "x (1)", "backup of a"]),
        st.sampled_from(["k1.jpg", "k2.jpg", "k3.jpg", "k1 copy.jpg", "k1-2.jpg"]),
        st.integers(0, 3),
        st.sampled_from([1_700_000_000, 1_700_000_000, 1_600_000_000, 1_750_000_000]),
    ),
    min_size=4,
    max_size=40,
    unique_by=lambda file: file[:2],
)


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(files=_files, linked=st.booleans(), sidecar=st.booleans())
def test_what_is_decided_by_shape_is_what_each_set_would_get(tmp_path_factory, files, linked: bool, sidecar: bool):
    desk = Desk(tmp_path_factory.mktemp("desk"))
    for folder, name, content, modified in files:
        desk.write(f"{folder}/{name}", b"kite %d" % content * 900, modified)
    if linked:
        os.link(desk.place / files[0][0] / files[0][1], desk.place / "another name.jpg")
    if sidecar:
        desk.write("a/raw/k1.xmp", b"<x/>")
    desk.ask("scan", desk.place)
    by_shape, one_by_one = desk.top / "one.csv", desk.top / "other.csv"
    desk.ask("keep", "-o", by_shape)
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(shapes, "MOST_SHAPES", 0)
        desk.ask("keep", "-o", one_by_one)
    assert by_shape.read_text() == one_by_one.read_text()


def test_what_goes_is_summed_by_folder_as_the_docket_has_it(sample_desk: Desk):
    sample_desk.proposed()
    told = sample_desk.ask("keep", "-o", sample_desk.top / "again.csv")["folders"]
    plain: dict[str, list[dict[str, str]]] = defaultdict(list)
    with sample_desk.docket.open(newline="") as stream:
        rows = list(csv.DictReader(stream))
    for row in rows:
        if row["action"] == "fold":
            plain[os.path.dirname(row["path"])].append(row)
    assert [(each["from"]["path"], each["files"], each["bytes"]) for each in told] == sorted(
        ((folder, len(going), sum(int(row["size"]) for row in going)) for folder, going in plain.items()),
        key=lambda each: (-each[2], each[0]),
    )
    stays = {row["set"]: os.path.dirname(row["path"]) for row in rows if row["action"] == "keep"}
    for each in told:
        going = plain[each["from"]["path"]]
        assert each["reasons"] == Counter(row["reason"] for row in going)
        kept = {folder["path"]: folder["files"] for folder in each["keepers"]}
        assert kept == Counter(stays[row["set"]] for row in going)
    shown = sample_desk.run("keep", "-o", sample_desk.top / "third.csv").out
    asked = sample_desk.run("fold", sample_desk.docket, answer="n\n").out
    for text in (shown, asked):
        assert f"From {len(told)} folders, the most first\n" in text
        assert "in a card dump (the keeper was sorted); stays in " in text
    for number in range(12):
        sample_desk.write(f"many/{number}/k (1).jpg", b"m%d" % number)
        sample_desk.write(f"many/{number}/k.jpg", b"m%d" % number)
    sample_desk.ask("scan", sample_desk.place)
    shown = sample_desk.run("keep", "-o", sample_desk.top / "fourth.csv").out
    assert f"… and {len(told) + 2} more folders (--details shows all)\n" in shown
    assert shown.count("its name looks like a copy's; stays in") < 12
    shown = sample_desk.run("keep", "-o", sample_desk.top / "fifth.csv", "--details").out
    assert shown.count("its name looks like a copy's; stays in") == 12
