"""Ctrl-C while files are changed: the run ends in order, says how far it came, and goes on or comes back."""

import os
import re
import signal
import time

import pytest

from foldkeep.fold import find_run
from foldkeep.fold.runs.midway import midway
from foldkeep.model.errors import InterruptedMidway, StoppedMidway
from foldkeep.stock import Stock
from harness.desks import Desk, listing, pair
from harness.drives import pluggable
from harness.signalled import signalled

_FILES = 240
_MIDWAY = 60
_SAID = re.compile(
    r"run (\d+) was interrupted: ([\d,]+) of ([\d,]+) files (?:went|are back|are deleted for good); no file"
)


@pytest.fixture
def many(desk: Desk) -> Desk:
    """A desk with many spares, and a docket of them."""
    propose_many(desk)
    return desk


def propose_many(desk: Desk) -> None:
    for folder in ("kept", "again"):
        (desk.place / folder).mkdir(parents=True)
        for number in range(_FILES):
            (desk.place / folder / f"{number}.jpg").write_bytes(b"kite %d" % number * 9)
    desk.ask("scan", desk.place)
    desk.ask("keep", "-o", desk.docket, "--prefer", f"under:{desk.place}/kept")


@pytest.mark.parametrize("command", ["fold", "unfold", "release"])
def test_it_says_how_far_it_came_and_the_rest_can_be_done_or_undone(many: Desk, command: str):
    before = listing(many.place)
    folded = ["fold", str(many.docket), "--yes"]
    words = {"fold": folded, "unfold": ["unfold", "1"], "release": ["release", "1", "--yes"]}[command]
    if command != "fold":
        many.ask(*folded)
    answer = signalled(many, words, _MIDWAY, signal.SIGINT)
    err = answer.stderr
    said = _SAID.search(err)
    assert (answer.returncode, bool(said)) == (130, True), err
    run, done, total = (int(each.replace(",", "")) for each in said.groups())
    assert (run, total) == (1, _FILES)
    assert 0 < done < _FILES
    undo = {"fold": "takes back what was done", "unfold": "goes on\n", "release": "brings the others back"}[command]
    assert undo in err
    assert len(listing(many.place / "again")) == {"fold": _FILES - done, "unfold": done, "release": 0}[command]
    many.run(*words)
    if command == "release":
        assert len(listing(many.place)) == _FILES
        assert many.ask("ledger", "--verify")["verified"] == 0
    else:
        for each in many.ask("ledger")["runs"]:
            many.run("unfold", str(each["run"]))
        assert listing(many.place) == before


def test_a_second_one_stops_at_once_and_the_next_run_carries_on(many: Desk):
    before = listing(many.place)
    answer = signalled(many, ["fold", str(many.docket), "--yes"], _MIDWAY, signal.SIGINT, signal.SIGINT)
    assert (answer.returncode, "stopped at once" in answer.stderr) == (130, True), answer
    assert len(list((many.place / "again").iterdir())) >= _FILES - _MIDWAY - 1, "nothing goes after the second"
    many.run("fold", many.docket, "--yes")
    for run in many.ask("ledger")["runs"]:
        many.run("unfold", str(run["run"]))
    assert listing(many.place) == before


def test_commands_that_look_find_what_a_killed_run_did_and_what_came_back_elsewhere(many: Desk):
    signalled(many, ["fold", str(many.docket), "--yes"], _MIDWAY, signal.SIGKILL)
    went = _FILES - len(os.listdir(many.place / "again"))
    assert 0 < went < _FILES
    assert many.ask("ledger", "--verify")["verified"] == went
    # Another stock brings the files back, from the journal in the fold alone.
    many.ask("scan", many.place, "--stock", many.top / "other")
    assert many.ask("unfold", "--from", many.place, "--stock", many.top / "other")["restored"] == went
    verified = many.ask("ledger", "--verify")
    assert (verified["verified"], verified["problems"]) == (0, [])


def test_a_file_that_was_taken_from_the_fold_is_a_problem(desk: Desk):
    desk.write("kite.jpg", b"kite" * 9)
    desk.write("again/kite.jpg", b"kite" * 9)
    desk.ask("scan", desk.place)
    desk.ask("keep")
    desk.ask("fold", "d1", "--yes")
    (slot,) = (desk.place / ".foldkeep").glob("*/files/*")
    slot.unlink()
    answer = desk.run("ledger", "--verify", "--json")
    assert (answer.status, answer.json["verified"], answer.json["back"]) == (1, 0, 0)
    assert ["cannot be read where it waits" in each["reason"] for each in answer.json["problems"]] == [True]


@pytest.mark.parametrize(
    ("method", "work", "words"),
    [
        ("delete", "fold d1", "1 of 1 files went; no file is lost; `foldkeep fold d1` goes on"),
        (
            "fold",
            "fold d1",
            "1 of 1 files went; no file is lost; `foldkeep fold d1` goes on, and `foldkeep unfold",
        ),
        ("fold", "release 1", "0 of 1 files are deleted for good; no file is lost; `foldkeep release 1` goes on, and"),
        (
            "fold",
            "release 1 --rests",
            "0 of 0 files have no rest any more; no file is lost; `foldkeep release 1",
        ),
    ],
)
def test_no_way_back_is_named_where_there_is_none(desk: Desk, method: str, work: str, words: str):
    desk.write("kite.jpg", b"kite" * 9)
    desk.write("again/kite.jpg", b"kite" * 9)
    desk.ask("scan", desk.place)
    desk.ask("keep")
    desk.ask("fold", "d1", "--yes", "--method", method, *["--for-good"] * (method == "delete"))
    with (
        Stock.open(str(desk.stock)) as stock,
        pytest.raises(InterruptedMidway) as told,
        midway(stock, find_run(stock, 1), work),
    ):
        raise KeyboardInterrupt
    assert words in str(told.value)
    assert ("unfold" in str(told.value)) == (method == "fold" and "--rests" not in work)
    with (
        Stock.open(str(desk.stock)) as stock,
        pytest.raises(
            StoppedMidway, match=r"no more processes and threads, so run 1 stopped midway.*; end other programs"
        ),
        midway(stock, find_run(stock, 1), work),
    ):
        raise RuntimeError("can't start new thread")


@pytest.mark.parametrize("command", ["fold", "unfold", "release", "delete"])
def test_a_run_that_was_killed_is_told_as_its_folds_are(desk: Desk, command: str):
    desk.place.mkdir(exist_ok=True)
    with pluggable(desk.top / "drive", desk.place) as (unplug, plug):
        propose_many(desk)
        folded = ["fold", str(desk.docket), "--yes"]
        deleted = [*folded, "--method", "delete", "--for-good"]
        release, unfold = ["release", "1", "--yes"], ["unfold", "1"]
        words = {"fold": folded, "unfold": unfold, "release": release, "delete": deleted}[command]
        if command in ("unfold", "release"):
            desk.ask(*folded)
        signalled(desk, words, _MIDWAY, signal.SIGKILL)
        (files,) = (desk.place / ".foldkeep").glob("*/files")
        in_fold = {path.name for path in files.iterdir()}
        assert (0 < len(in_fold) < _FILES) or command == "delete"
        at_home = len(list((desk.place / "again").glob("*")))
        disk = listing(desk.place)

        (run,) = desk.ask("ledger")["runs"]
        (with_files,) = desk.ask("ledger", "1")["runs"]
        assert run["files"] == with_files["files"]
        assert run["files"]["waiting"] == len(in_fold)
        assert run["files"]["planned"] + run["files"]["restored"] == at_home
        assert run["files"]["released"] == _FILES - at_home - len(in_fold)
        went = f"run 1 was interrupted: {_FILES - at_home:,} of {_FILES:,} files went"
        assert went in desk.run("ledger").out
        assert went in desk.run().out
        assert desk.ask("ledger", "--verify")["verified"] == len(in_fold)
        with Stock.open(str(desk.stock)) as stock, stock.hold("fold"):
            assert f"run 1 is under way: foldkeep fold, process {os.getpid()}" in desk.run().out
        unplug()
        if command == "fold":
            away = "run 1 was interrupted; connect the drive of"
            assert away in desk.run("ledger").out
            assert away in desk.run("checkup", "--only", "folds").out
            for line in (["unfold", "--last"], ["unfold", "1"], ["release", "1", "--yes"], ["ledger", "--verify"]):
                answer = desk.run(*line)
                assert answer.status == 1
                assert "away, and run 1 was broken off there; connect its drive" in answer.out + answer.err
        plug()
        assert listing(desk.place) == disk
        assert went in desk.run("checkup", "--only", "folds").out
        assert desk.ask("unfold", "1")["away"] == []
        assert len(list((desk.place / "again").glob("*"))) == at_home + len(in_fold)


def test_a_clock_that_was_ahead_keeps_no_later_run(desk: Desk):
    for number in (1, 2):
        pair(desk, f"{number}.jpg", f"old/{number}.jpg")
        desk.proposed()
        desk.ask("fold", desk.docket, "--yes")
    ahead, month = time.time_ns() + 400 * 86_400 * 10**9, time.time_ns() - 31 * 86_400 * 10**9
    with Stock.open(str(desk.stock)) as stock, stock.transaction():
        stock._db.execute("UPDATE runs SET started_ns = iif(id = 1, ?, ?)", (ahead, month))
    answer = desk.run("release", "--older-than", "30d", "--yes")
    waiting = [run["files"]["waiting"] for run in desk.ask("ledger")["runs"]]
    assert (waiting, answer.status) == ([1, 0], 0)
    assert re.search(r"run 1 is dated 20\d\d-\d\d-\d\d, by a clock that was ahead; name it to release it\n", answer.err)
    assert desk.ask("release", "1", "--yes")["released"] == 1
