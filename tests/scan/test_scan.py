"""Scanning odd and hostile trees; places within places; drives that are away."""

import multiprocessing
import os
import threading
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor
from pathlib import Path

import pytest

import foldkeep.scan.reading as reading
from foldkeep.demo import make_library
from foldkeep.model import Role, Settings
from foldkeep.scan import add_place, afar, pool, scan
from foldkeep.scan.pool import _Lanes
from foldkeep.scan.skip_rules import Looking
from foldkeep.scan.thumbnails import shown_by
from foldkeep.stock import Stock
from harness.desks import MEMORY, Desk, listing
from harness.oracles import OneByOne, found_sets, oracle


def test_a_scan_asks_only_for_the_executor_interface(desk: Desk):
    for number in range(200):
        desk.write(f"{number}.jpg", b"%d" % (number // 2) * 400)
    steps = []
    executor = OneByOne()
    with Stock.open(str(desk.stock), create=True) as stock, stock.hold("test"):
        place = add_place(stock, os.fsencode(desk.place), Role.ARCHIVE)
        report = scan(stock, [place], executor, steps.append)
    assert (report.files, report.hashed_files, report.problems) == (200, 200, [])
    assert report.bytes == report.read_bytes == sum(path.stat().st_size for path in desk.place.iterdir())
    assert 0 < executor.jobs < 20
    assert place.role is Role.ARCHIVE


@pytest.mark.skipif(MEMORY is None, reason="Python's processes share what lies in /dev/shm, which is not here")
def test_a_scan_can_be_read_by_other_processes(desk: Desk):
    for number in range(8):
        desk.write(f"{number}.mov", b"%d" % (number // 2) * 400_000)
    processes = ProcessPoolExecutor(2, mp_context=multiprocessing.get_context("spawn"))
    with processes, Stock.open(str(desk.stock), create=True) as stock, stock.hold("test"):
        report = scan(stock, [add_place(stock, os.fsencode(desk.place))], processes)
    assert (report.hashed_files, report.problems) == (8, [])
    assert desk.ask("duplicates")["totals"]["sets"] == 4


def test_deep_and_odd_trees_do_not_stop_a_scan(desk: Desk):
    deep = os.open(desk.place, os.O_RDONLY)
    for _ in range(24):
        name = "d" * 210
        os.mkdir(name, dir_fd=deep)
        below = os.open(name, os.O_RDONLY, dir_fd=deep)
        os.close(deep)
        deep = below
    for name in ("one.jpg", "two.jpg"):
        with open(os.open(name, os.O_CREAT | os.O_WRONLY, dir_fd=deep), "wb") as file:
            file.write(b"deep" * 30_000)
    os.close(deep)
    os.symlink(".", desk.place / "loop")
    os.symlink("/", desk.place / "root")
    os.mkfifo(desk.place / "pipe.jpg")
    answer = desk.run("scan", desk.place, "--json")
    assert (answer.status, answer.json["files"]) == (0, 2)
    (found,) = desk.ask("duplicates")["sets"]
    assert all(len(copy["uri"]) > 5000 for copy in found["copies"])
    # The whole way works that deep as well, and back.
    desk.ask("keep", "-o", desk.docket)
    assert desk.ask("fold", desk.docket, "--yes")["folded"] == 1
    assert desk.ask("unfold", "--last")["restored"] == 1
    assert desk.ask("duplicates")["totals"]["sets"] == 1


@pytest.mark.parametrize("change", ["grow", "shrink"])
def test_a_file_that_changes_while_it_is_read_gets_no_digest(desk: Desk, monkeypatch, change):
    one, two = (desk.write(f"{name}.mov", b"k" * 3_000_000) for name in ("one", "two"))
    real, lock = os.readv, threading.Lock()

    def readv(descriptor, buffers):
        got = real(descriptor, buffers)
        with lock:
            if os.path.samestat(os.fstat(descriptor), two.stat()):
                if change == "grow":
                    with two.open("ab") as file:
                        file.write(b"k" * 2_000_000)
                else:
                    os.truncate(two, 5)
        return got

    monkeypatch.setattr(reading.os, "readv", readv)
    answer = desk.run("scan", desk.place, "--json")
    assert answer.status == 1
    assert [problem["reason"] for problem in answer.json["problems"]] == ["changed during the scan; scan again"]
    monkeypatch.undo()
    assert desk.ask("duplicates")["sets"] == []
    two.write_bytes(one.read_bytes())
    desk.ask("scan")
    assert desk.ask("duplicates")["totals"]["sets"] == 1


def test_a_folder_that_cannot_be_read_keeps_what_is_known_of_it(desk: Desk, monkeypatch):
    desk.write("a/kite.jpg", b"k" * 50)
    desk.write("b/below/kite.jpg", b"k" * 50)
    desk.ask("scan", desk.place)
    real = os.open

    def failing(path, *rest, **named):
        if path == os.fsencode(desk.place / "b"):
            raise PermissionError(13, "Permission denied")
        return real(path, *rest, **named)

    monkeypatch.setattr(os, "open", failing)
    answer = desk.run("scan", "--json")
    assert (answer.status, answer.json["problems"][0]["reason"]) == (1, "permission denied")
    monkeypatch.undo()
    assert desk.ask("duplicates")["totals"]["sets"] == 1
    (desk.place / "b/below/kite.jpg").unlink()
    desk.ask("scan")
    assert desk.ask("duplicates")["totals"]["sets"] == 0


def test_places_within_places_count_a_file_once(desk: Desk):
    inner = desk.place / "shows"
    desk.write("kite.jpg", b"k" * 50)
    desk.write("shows/kite.jpg", b"k" * 50)
    link = desk.top / "link"
    link.symlink_to(desk.place)
    desk.ask("scan", inner, "--role", "archive")
    assert desk.ask("scan", desk.place, inner)["files"] == 2
    assert desk.ask("scan", link)["files"] == 2
    (found,) = desk.ask("duplicates", "--across")["sets"]
    assert [copy["place"] for copy in found["copies"]] == ["place", "shows"]
    assert desk.ask("duplicates")["sets"] == [], "the inner place has a role of its own"


def test_a_place_that_is_away_loses_nothing(desk: Desk):
    desk.write("kite.jpg", b"k" * 50)
    desk.write("kite copy.jpg", b"k" * 50)
    before = listing(desk.place)
    desk.proposed()
    desk.ask("fold", desk.docket, "--yes")
    away = desk.place.rename(desk.top / "in a cupboard")
    scanned = desk.run("scan", "--json")
    assert (scanned.status, scanned.json["problems"][0]["path"]) == (1, str(desk.place))
    answer = desk.run("unfold", "--last", "--json")
    assert answer.status == 1
    assert answer.json["left"][0]["reason"] == "its fold cannot be worked in: no such file or directory"
    assert desk.ask("release", "1", "--yes")["released"] == 0
    # Plugged in again as an empty mount point: still nothing is concluded.
    desk.place.mkdir()
    assert desk.run("unfold", "1").status == 1
    desk.place.rmdir()
    away.rename(desk.place)
    assert desk.ask("unfold", "--last")["restored"] == 1
    assert listing(desk.place) == before


@pytest.mark.more
def test_the_sample_library_is_the_same_every_time(sample: Path, tmp_path: Path):
    make_library(str(tmp_path))
    first, second = listing(sample), listing(tmp_path)
    assert {(os.path.relpath(path, os.fsencode(sample)), *facts[:3]) for path, facts in first.items()} == {
        (os.path.relpath(path, os.fsencode(tmp_path)), *facts[:3]) for path, facts in second.items()
    }
    assert sum(path.stat().st_size for path in tmp_path.rglob("*")) < 60_000_000


@pytest.mark.parametrize(
    ("name", "asked", "reason"),
    [
        ("kite.jpg", (), None),
        (".kite.jpg", (), "hidden"),
        (".kite.jpg", ("hidden",), None),
        (".DS_Store", ("hidden",), "system"),
        ("DESKTOP.INI", (), "system"),
        ("Thumbs.db", ("system",), None),
        ("kite.part", (), "ignored"),
        ("Draft of Kite.TXT", (), "ignored"),
        ("draft", ("hidden", "system", "bundles", "volumes"), "ignored"),
    ],
)
def test_files_are_passed_by_for_a_reason(name, asked, reason):
    settings = Settings(ignore_names=("draft*",), ignore_suffixes=("part",))
    assert Looking(settings, asked).passes_file(name) == reason


@pytest.mark.parametrize(
    ("name", "asked", "reason"),
    [
        ("kites", (), None),
        (".foldkeep", ("hidden", "system"), ""),
        (".cache", (), "hidden"),
        ("$RECYCLE.BIN", ("hidden",), "system"),
        (".Spotlight-V100", ("hidden",), "system"),
        ("Kites.app", (), "bundles"),
        ("Kites.app", ("bundles",), None),
        ("scratch", (), "ignored"),
        ("render", (), "ignored"),
        ("renders", (), None),
    ],
)
def test_folders_are_passed_by_for_a_reason(name, asked, reason):
    looking = Looking(Settings(ignore_folders=("scratch", "/kites/render")), asked)
    assert looking.passes_folder(name, b"/kites/" + name.encode()) == reason


def test_small_files_get_more_lanes_only_while_the_disk_is_waited_for():
    with ThreadPoolExecutor(1) as threads:
        lanes = _Lanes(threads)
        seen = []
        for waiting in (0.1, 0.9, 0.9, 0.9, 0.2, 0.9):
            lanes.learn(waiting)
            seen.append(lanes.open)
    assert seen == [1, 2, 3, 4, 1, 2]
    assert _Lanes(OneByOne()).open > 1, "other executors share no lock"


def test_a_scan_tells_what_it_saw_passed_by_recognised_and_doubted(desk: Desk):
    desk.write(".hidden.jpg")
    desk.write("old/kite.jpg", b"\x89PNG\r\n\x1a\n" + b"k" * 50)
    desk.write("kite.png", b"\x89PNG\r\n\x1a\n" + b"k" * 50)
    first = desk.run("scan", desk.place).out.splitlines()
    assert first[0].startswith(f"Scanned {desk.place}: 2 files, 116 B, in ")
    assert first[1:] == [
        "Read 116 B to compare contents: 2 files whole, of others the first and last block.",
        "Passed by: 1 hidden.",
        "The first bytes of 1 file say something else than the suffix; see them with: foldkeep duplicates --details",
        "Next: foldkeep keep",
    ]
    (desk.place / "old").rename(desk.place / "new")
    assert desk.run("scan").out.splitlines()[1:3] == [
        "No content had to be read.",
        "Recognised 1 file that had been moved.",
    ]


@pytest.mark.parametrize("dies", [None, 0, 3])
def test_very_many_small_files_are_read_by_processes_or_else_all_the_same(desk: Desk, monkeypatch, dies):
    monkeypatch.setattr(pool, "_VERY_MANY", 1)
    monkeypatch.setattr(pool, "_JOB_FILES", 5)
    asked = []
    real = afar._Helper.ask

    def counted(helper, question):
        asked.append(question[0])
        if len(asked) - 1 == dies:
            (helper._process or helper._start()).kill()
        yield from real(helper, question)

    monkeypatch.setattr(afar._Helper, "ask", counted)
    for number in range(90):
        desk.write(f"{number:02}.jpg", b"%d" % (number // 2) * (20_000 if number < 20 else 400))
    desk.write("link.jpg", b"1" * 400)
    os.link(desk.place / "link.jpg", desk.place / "its other name.jpg")
    answer = desk.ask("scan", desk.place)
    assert (answer["files"], answer["problems"]) == (91, [])
    assert found_sets(desk) == oracle(desk.place)
    assert set(asked) == {"many"}
    assert len(asked) > (4 if dies is None else dies)
    assert desk.ask("scan")["read_bytes"] == 0


def test_progress_goes_through_looking_comparing_and_reading(desk: Desk, monkeypatch):
    monkeypatch.setattr("foldkeep.scan.pool._COMMIT_SECONDS", 0)
    for number in range(6):
        desk.write(f"{number}.mov", b"k" * 300_000)
    steps = []
    with Stock.open(str(desk.stock), create=True) as stock, stock.hold("test"):
        scan(stock, [add_place(stock, os.fsencode(desk.place))], OneByOne(), steps.append)
    phases = list(dict.fromkeys(step.phase for step in steps))
    assert phases == ["Looking into folders", "Comparing first and last blocks", "Reading contents"]
    assert (steps[-1].done, steps[-1].total, steps[-1].unit) == (1_800_000, 1_800_000, "bytes")


def test_many_may_make_one_stock_at_once(tmp_path: Path):
    for number in range(5):
        path, together = str(tmp_path / f"{number}.sqlite3"), threading.Barrier(6)

        def opened(path: str = path, together: threading.Barrier = together) -> int:
            together.wait()
            with Stock.open(path, create=True) as stock:
                return len(stock.places.all())

        with ThreadPoolExecutor(6) as executor:
            jobs = [executor.submit(opened) for _ in range(6)]
            assert [job.result() for job in jobs] == [0] * 6


@pytest.mark.parametrize(
    ("uri", "shows"),
    [
        ("file:///kites/a%20b.png", b"/kites/a b.png"),
        ("file://kites/a.png", None),
        ("file:///kites/a%00.png", None),
        ("./a%20b.png", b"/day/a b.png"),
        ("a.png", b"/day/a.png"),
        ("../a.png", None),
        ("a%2Fb.png", None),
        ("a%00.png", None),
        ("./", None),
        ("", None),
    ],
)
def test_a_thumbnail_shows_a_file_beside_it_or_one_by_its_whole_path(uri: str, shows: bytes | None):
    assert shown_by(uri, b"/day/.sh_thumbnails/normal/0.png") == shows
    if not uri.startswith("file:"):
        assert shown_by(uri, b"/cache/thumbnails/normal/0.png") is None


def test_where_no_thread_may_be_started_one_line_says_so_and_answers_say_that_they_are_incomplete(
    desk: Desk, monkeypatch
):
    monkeypatch.chdir(desk.top)  # where `sheet` writes
    for name in ("kite.jpg", "old/kite.jpg"):
        desk.write(name, b"k" * 9000)

    def refused(*_):
        raise RuntimeError("can't start new thread")

    with monkeypatch.context() as patched:
        patched.setattr("threading.Thread.start", refused)
        answer = desk.run("scan", desk.place)
    assert (answer.status, answer.err.count("\n")) == (2, 1), answer
    assert "start no more processes and threads; end other programs or raise the limit" in answer.err
    finders = ("keep", "duplicates", "caches", "orphans", "list", "space", "sheet", "alike", f"coverage {desk.place}")
    for finder in finders:
        assert f"The first scan of {desk.place} did not end" in desk.run(*finder.split()).err, finder
    assert "never scanned whole" in desk.run().out
    desk.ask("scan")
    for finder in finders:
        assert "did not end" not in desk.run(*finder.split()).err, finder
