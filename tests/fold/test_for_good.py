"""What is deleted for good: each door that a listing, a memory, a bin, a journal or a clock could leave open."""

import hashlib
import os
import shutil
from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path

import pytest

from foldkeep.fold.servers import waiting
from foldkeep.fold.servers.waiting import SidesWait
from foldkeep.model import Method, RunFile, RunFileState
from foldkeep.stock import Stock
from harness.desks import Answer, Desk, contents, edit, folded_pair, left, pair
from harness.essences import made, worded
from harness.points import Points, befores, kill_at
from harness.snapshots import Snapshot

DAY = 24 * 3600 * 10**9


def change_payload(package: Path, name: str) -> None:
    """Change a file of a bag and bring its manifests up to date, as somebody does who knows how."""
    payload = next(package.glob(f"data/**/{name}"))
    payload.write_bytes(b"?" + payload.read_bytes()[1:])
    for tags in (False, True):
        for manifest in package.glob("tagmanifest-*.txt" if tags else "manifest-*.txt"):
            algorithm = manifest.stem.rpartition("-")[2]
            lines = []
            for line in manifest.read_text().splitlines():
                _, named = line.split(None, 1)
                lines.append(f"{hashlib.new(algorithm, (package / named).read_bytes()).hexdigest()}  {named}\n")
            manifest.write_text("".join(lines))


@pytest.mark.parametrize("changed", [False, True])
def test_a_package_vouches_by_what_is_read_in_it_now(desk: Desk, changed: bool):
    keeper, _ = folded_pair(desk, "project/kite.jpg")
    desk.write("project/notes.txt", b"when and where")
    assert desk.run("archive", desk.place / "project", "--to", desk.top, "--inside", desk.place, "--yes").status == 0
    keeper.unlink()
    (package,) = (path.parent for path in desk.top.glob("*/bagit.txt"))
    if changed:
        change_payload(package, "kite.jpg")
        assert desk.run("archive", "--check", package).status == 0, "a bag as it should be"
    answer = desk.run("release", "1", "--yes", "--json")
    assert (answer.status, answer.json["released"]) == ((1, 0) if changed else (0, 1))


@pytest.fixture
def lending(desk: Desk) -> Desk:
    """A photo that a released one is rebuilt from."""
    desk.write("kite.jpg", worded("still.jpg"))
    desk.write("old/kite.jpg", made("still.jpg"))
    desk.write("noise.jpg", made("still.jpg", 5))
    desk.ask("scan", desk.place)
    desk.ask("keep", "--same", "essence", "-o", desk.docket)
    desk.ask("fold", desk.docket, "--yes")
    assert desk.ask("release", "1", "--yes")["rests"] == 1
    desk.docket.unlink()
    return desk


@pytest.mark.parametrize("lost", ["its words were edited", "the stock is lost", "both"])
def test_what_rests_need_is_told_by_the_rests(lending: Desk, lost: str):
    keeper = lending.place / "kite.jpg"
    if lost != "the stock is lost":
        keeper.write_bytes(worded("still.jpg", title="Another title", rating=1))
    if lost != "its words were edited":
        shutil.rmtree(lending.stock.parent)
    lending.ask("scan", lending.place, "--read-all")
    lending.ask("list", "--name", "*.jpg", "-o", lending.docket)
    edit(lending.docket, lambda row: {**row, "action": "fold"})
    assert lending.ask("fold", lending.docket, "--yes", "--allow-last-copy")["folded"] == 2
    ((name, why),) = left(lending.ask("release", "--last", "--yes", "--allow-last-copy"))
    assert (name, "1 released file is rebuilt from it" in why) == ("kite.jpg", True)
    assert "--rests" not in why
    lending.write("again.jpg", worded("still.jpg", title="A third"))
    lending.ask("scan", lending.place)
    assert lending.ask("release", "--last", "--yes", "--allow-last-copy")["released"] == 1, "another shows the same"
    if lost == "its words were edited":
        assert lending.ask("unfold", "1")["restored"] == 1
        assert (lending.place / "old/kite.jpg").read_bytes() == made("still.jpg")


def test_a_rest_finds_its_picture_where_it_was_moved_and_written_into_again(lending: Desk):
    (lending.place / "best/of").mkdir(parents=True)
    (lending.place / "best/of/the day.jpg").write_bytes(worded("still.jpg", title="Renamed and retitled"))
    (lending.place / "kite.jpg").unlink()
    lending.ask("scan", lending.place)
    assert lending.ask("unfold", "1")["restored"] == 1
    assert (lending.place / "old/kite.jpg").read_bytes() == made("still.jpg")


def xmp(description: str, rating: int, word: str) -> bytes:
    return (
        "<x:xmpmeta xmlns:x='adobe:ns:meta/'><rdf:RDF xmlns:rdf='http://www.w3.org/1999/02/22-rdf-syntax-ns#'>"
        "<rdf:Description rdf:about='' xmlns:xmp='http://ns.adobe.com/xap/1.0/' xmlns:dc='http://purl.org/dc/elements/1.1/'"
        f" xmp:Rating='{rating}'><dc:description><rdf:Alt><rdf:li xml:lang='x-default'>{description}</rdf:li></rdf:Alt>"
        f"</dc:description><dc:subject><rdf:Bag><rdf:li>{word}</rdf:li></rdf:Bag></dc:subject></rdf:Description>"
        "</rdf:RDF></x:xmpmeta>"
    ).encode()


def test_a_sidecar_that_says_what_nothing_else_says_is_kept_and_told(desk: Desk):
    keeper, spare = pair(desk)
    keeper.with_suffix(".xmp").write_bytes(xmp("The last day", 3, "kite"))
    older = xmp("The day before the last", 5, "sky")
    spare.with_suffix(".xmp").write_bytes(older)
    desk.proposed()
    desk.ask("fold", desk.docket, "--yes")
    answer = desk.run("release", "1", "--yes", "--json")
    assert [(Path(each["path"]).name, each["reason"]) for each in answer.json["kept"]] == [
        ("kite.xmp", "rating, description")
    ]
    assert (answer.status, answer.json["rests"]) == (0, 1)
    assert desk.run("ledger", "--verify").status == 0
    assert desk.run("unfold", "1").status == 0
    assert spare.with_suffix(".xmp").read_bytes() == older
    assert not (desk.place / ".foldkeep").exists()


def test_what_is_said_in_a_picture_that_goes_for_one_alike_is_said_beside_that(desk: Desk, monkeypatch):
    from foldkeep.keep.dockets import alike as dockets_alike
    from harness.desks import KnownPrint, Measured, Pair

    monkeypatch.setattr(dockets_alike, "alike_now", lambda *_: Measured(Pair(0, 1, 0.9, 10), (KnownPrint(),) * 2))
    desk.write("large.jpg", made("still.jpg", 3))
    desk.write("small.jpg", worded("still.jpg", 4, title="The red one over the sea"))
    desk.ask("scan", desk.place, "--read-all")
    desk.ask("alike", "--kind", "photo", "-o", desk.docket)
    if not desk.docket.exists() or "small.jpg" not in desk.docket.read_text():
        desk.docket.unlink(missing_ok=True)
        desk.ask("list", "-o", desk.docket)
    rows = {"large.jpg": "keep", "small.jpg": "fold"}
    edit(desk.docket, lambda row: {**row, "set": "a1", "action": rows[os.path.basename(row["path"])]})
    done = desk.ask("fold", desk.docket, "--yes", "--allow-alike")
    assert done["folded"] >= 1, done
    sidecar = desk.place / "large.xmp"
    merged = sidecar.read_bytes()
    assert b"The red one over the sea" in merged
    for said in (None, merged.replace(b"red one", b"blue one")):
        sidecar.unlink() if said is None else sidecar.write_bytes(said)
        left = desk.ask("release", "1", "--yes", "--allow-alike")["left"]
        assert "description “The red one over the sea”" in left[0]["reason"], left
    sidecar.write_bytes(merged)
    answer = desk.run("release", "1", "--yes", "--allow-alike", "--json")
    assert (answer.status, answer.json["released"]) == (0, done["folded"]), answer.json


BINS = {
    "of the desktop": (".local/share/Trash/files/kite.jpg", None),
    "elsewhere": ("xdg/Trash/files/kite.jpg", None),
    "of a volume": (".Trash-1000/files/kite.jpg", None),
    "of another system": (".Trashes/501/kite.jpg", None),
    "by its layout": ("Papierkorb/files/kite.jpg", "Papierkorb/info/kite.jpg.trashinfo"),
    "in a folder in it": ("Papierkorb/files/day/kite.jpg", "Papierkorb/info/day.trashinfo"),
    "none": ("Trash/kite.jpg", None),
    "files beside nothing": ("job/files/kite.jpg", None),
}


@pytest.mark.parametrize("kind", BINS)
def test_nothing_in_a_bin_vouches(desk: Desk, kind: str):
    path, info = BINS[kind]
    keeper, _ = folded_pair(desk)
    binned = desk.place / path
    binned.parent.mkdir(parents=True)
    keeper.rename(binned)
    if info:
        (desk.place / info).parent.mkdir(parents=True)
        (desk.place / info).write_text("[Trash Info]\nPath=kite.jpg\nDeletionDate=2026-01-02T03:04:05\n")
    desk.ask("scan", desk.place, "--hidden", "--system", "--read-all")
    answer = desk.run("release", "1", "--yes", "--json")
    is_bin = kind not in ("none", "files beside nothing")
    assert (answer.status, answer.json["released"]) == ((1, 0) if is_bin else (0, 1))


def test_each_file_in_a_fold_is_accounted_for_whatever_rots_in_its_journal(tmp_path: Path):
    desk = Desk(tmp_path)
    for name in "abc":
        pair(desk, keeper=f"{name}.jpg", spare=f"old/{name}.jpg", body=name.encode() * 500)
    desk.proposed()
    before = contents(desk.place)
    assert desk.ask("fold", desk.docket, "--yes")["folded"] == 3
    (journal,) = desk.place.glob(".foldkeep/*/journal-2.jsonl")
    saved = tmp_path / "saved"
    shutil.copytree(desk.place, saved)
    text = journal.read_bytes().rstrip()
    told = set()
    for at in range(0, len(text), 3):
        rotten = bytearray(text)
        rotten[at] ^= 0x04
        journal.write_bytes(bytes(rotten))
        answer = desk.run("unfold", "--from", desk.place, FOLDKEEP_STOCK=str(tmp_path / "none"))
        folded = list(desk.place.glob(".foldkeep/*/files/*"))
        strays = [path for path in desk.place.iterdir() if path.name.startswith("from the fold ")]
        assert not (answer.status == 0 and (folded or strays)), (at, text[max(0, at - 9) : at + 9])
        assert contents(desk.place) >= before
        if strays:
            told.add(answer.status)
            assert all(path.name in answer.out for path in strays)
        shutil.rmtree(desk.place)
        shutil.copytree(saved, desk.place)
    assert told == {1}


def killed_at_each(desk: Desk, *line: str | os.PathLike[str]) -> Iterator[tuple[tuple, Answer | None]]:
    """Run a command to its end, yield its answer; then from the same state again, killed before each change in turn."""
    saved = [Snapshot.of(top) for top in (desk.place, desk.stock.parent)]
    points = Points(lambda *_: None)
    with points.armed():
        answer = desk.run(*line)
    yield (), answer
    for number in befores(points.site):
        for snapshot in saved:
            snapshot.restore()
        child = os.fork()
        if child == 0:
            with Points(kill_at(number)).armed():
                desk.run(*line)
            os._exit(0)
        os.waitpid(child, 0)
        yield points.site[number - 1], None


def test_a_stray_in_a_fold_is_told_by_all_that_look_and_comes_back_at_every_kill(tmp_path: Path):
    desk = Desk(tmp_path)
    folded_pair(desk)
    (files,) = desk.place.glob(".foldkeep/*/files")
    (files / "000009.jpg").write_bytes(b"nobody knows me")
    (journal,) = desk.place.glob(".foldkeep/*/journal*")
    written = journal.read_bytes()
    for is_there in (False, True):
        journal.write_bytes(written) if is_there else journal.unlink()
        for words in (("ledger", "--verify"), ("checkup",)):
            answer = desk.run(*words)
            assert (answer.status, "no line of a journal names it" in answer.err) == (1, True), words
            assert journal.exists() == is_there, words  # who looks writes nothing
    for site, answer in killed_at_each(desk, "unfold", "1"):
        if answer:
            assert (answer.status, (desk.place / "from the fold 000009.jpg").read_bytes()) == (1, b"nobody knows me")
            assert not (desk.place / ".foldkeep").exists()
            continue
        desk.run("unfold", "1")
        desk.run("unfold", "--from", desk.place)
        assert hashlib.sha256(b"nobody knows me").hexdigest() in contents(desk.place), site
        assert len(list(desk.place.glob("**/kite.jpg"))) == 2


@pytest.mark.more
def test_a_link_that_was_prepared_and_is_the_last_name_of_an_edit_stays(tmp_path: Path):
    desk = Desk(tmp_path)
    desk.write("kite.jpg", b"kite" * 500)
    desk.write("copies/kite.jpg", b"kite" * 500)
    desk.proposed()
    seen = 0
    for site, answer in killed_at_each(desk, "fold", desk.docket, "--yes", "--method", "hard-link"):
        if answer:
            assert answer.status == 0
            continue
        prepared = [path for path in desk.place.glob(".foldkeep/*/files/in-*") if path.stat().st_nlink == 2]
        for path in prepared:
            seen += 1
            (keeper,) = (each for each in desk.place.rglob("*kite.jpg") if each != path and each.samefile(path))
            with keeper.open("r+b") as stream:
                stream.write(b"edited")
            edited = keeper.read_bytes()
            keeper.unlink()
            for words in (("ledger",), ("scan", desk.place), ("unfold", "1")):
                desk.run(*words)
                assert hashlib.sha256(edited).hexdigest() in contents(desk.place), (site, words)
    assert seen


# Now by the clock, which start of the computer, how long since that; of the fold's: 100 days, "one", 50 days.
CLOCKS = {
    "at once": ((100, "one", 50), "7 days of them are left"),
    "six days": ((106, "one", 56), "are left"),
    "eight days": ((108, "one", 58), ""),
    "after a start": ((108, "two", 1), ""),
    "too soon after a start": ((103, "two", 1), "are left"),
    "set on while it ran": ((108, "one", 51), "begin anew"),
    "set back": ((99, "two", 1), "begin anew"),
    "set back while it ran": ((101, "one", 58), "begin anew"),
}


@pytest.mark.parametrize("case", CLOCKS)
def test_a_fold_across_sides_waits_by_every_clock(tmp_path: Path, monkeypatch, case: str):
    (now, boot, since), why = CLOCKS[case]
    file = RunFile(1, 1, b"/kites", b"/kites/a.jpg", "1", 1, 1, b"", b"", RunFileState.WAITING)
    with Stock.open(str(tmp_path / "stock"), create=True) as stock:
        run = stock.ledger.begin("k", Method.FOLD, b"d", 100 * DAY)
        stock.ledger.set_clock(run.id, 100 * DAY, "one", 50 * DAY)
        monkeypatch.setattr(waiting, "moment", lambda: (now * DAY, boot, since * DAY))
        waits = SidesWait(stock, timedelta(days=7))
        assert waits.why_not(file, b"/kites/b.jpg") == "", "one side"
        said = waits.why_not(file, b"https://cloud.example/b.jpg")
        assert (why in said, bool(said)) == (True, bool(why)), said
        if "anew" in why:
            monkeypatch.setattr(waiting, "moment", lambda: ((now + 6) * DAY, boot, (since + 6) * DAY))
            assert "are left" in SidesWait(stock).why_not(file, b"https://cloud.example/b.jpg")
        monkeypatch.setattr(waiting, "moment", lambda: ((now + 0.5) * DAY, boot, (since + 0.5) * DAY))
        assert SidesWait(stock, timedelta(0)).why_not(file, b"https://cloud.example/b.jpg") or now >= 101, (
            "a day at least"
        )
