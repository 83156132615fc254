"""The world misbehaves: full disks, read-only mounts, lost permissions, drives that go, clocks that jump."""

import os
import shutil
import subprocess
import tempfile
import time
from contextlib import contextmanager, suppress
from pathlib import Path

import pytest

from foldkeep.fold.methods.method import FoldMethod
from foldkeep.stock import reserve
from harness.desks import PROGRAM, QUICK, Desk, contents, listing
from harness.drives import attached_drive, mounted


@contextmanager
def small_volume(point: Path, kilobytes: int):
    """Mount a volume in memory of a given size, or skip the test."""
    point.mkdir(exist_ok=True)
    if not mounted("-t", "tmpfs", "-o", f"size={kilobytes}k", "tmpfs", str(point)):
        pytest.skip("mounting is refused here")
    try:
        yield
    finally:
        subprocess.run(["umount", "-l", point], check=False)


def fill(folder: Path) -> Path:
    """Write until nothing more can be written."""
    path = folder / "everything else.bin"
    with path.open("wb", buffering=0) as file, suppress(OSError):
        while file.write(b"x" * 512):
            pass
    return path


def pairs(desk: Desk, number: int, size: int = 4000) -> None:
    for each in range(number):
        desk.write(f"{each}.jpg", b"%d" % each * size)
        desk.write(f"in/{each} copy.jpg", b"%d" % each * size)


def reasons(answer) -> set[str]:
    return {entry["reason"] for entry in answer["left"]}


def meddle_before_acting(monkeypatch, meddle) -> None:
    """Let something happen once, after everything was looked at and written down and before the first act."""
    real = FoldMethod.act

    def meddled(self, bench, ready):
        monkeypatch.setattr(FoldMethod, "act", real)
        meddle()
        return real(self, bench, ready)

    monkeypatch.setattr(FoldMethod, "act", meddled)


@pytest.mark.parametrize("method", ["fold", "hard-link", "symlink"])
def test_no_space_for_the_journal(desk: Desk, method):
    with small_volume(desk.place, 200):
        pairs(desk, 3)
        before = listing(desk.place)
        desk.proposed()
        filler = fill(desk.place)
        answer = desk.run("fold", desk.docket, "--yes", "--method", method, "--json")
        assert answer.status in (1, 2), answer
        assert "no space left on device" in answer.err + answer.out
        assert listing(desk.place).items() >= before.items()
        filler.unlink()
        assert desk.ask("fold", desk.docket, "--yes", "--method", method)["folded"] == 3
        fill(desk.place)
        unfolded = desk.run("unfold", "--last", "--json")
        (desk.place / "everything else.bin").unlink()
        if unfolded.status:
            assert desk.run("unfold", "--last").status == 0
        assert listing(desk.place) == before


def test_no_space_where_files_are_moved_to(desk: Desk):
    far = desk.top / "far"
    with small_volume(far, 24):
        pairs(desk, 4, size=9000)
        before = listing(desk.place)
        desk.proposed()
        answer = desk.ask("fold", desk.docket, "--yes", "--method", "move", "--to", far)
        assert reasons(answer) == {"no space left on device"}
        assert 0 < answer["folded"] == 4 - len(answer["left"])
        assert not list(far.glob("**/.foldkeep*")), "what was begun is taken away again"
        assert contents(desk.place) >= {facts[0] for facts in before.values()}
        assert desk.ask("unfold", "1")["restored"] == answer["folded"]
        assert {path: facts[:3] for path, facts in listing(desk.place).items()} == {
            path: facts[:3] for path, facts in before.items()
        }


def test_no_space_for_the_stock(desk: Desk):
    pairs(desk, 300, size=1)
    before = listing(desk.place)
    desk.stock.parent.mkdir()
    with small_volume(desk.stock.parent, 1200):
        desk.proposed()
        fill(desk.stock.parent)
        answer = desk.run("fold", desk.docket, "--yes")
        assert (answer.status, answer.err.count("\n")) == (2, 1), answer
        assert "cannot use the stock" in answer.err
        assert contents(desk.place) >= {facts[0] for facts in before.values()}
        (desk.stock.parent / "everything else.bin").unlink()
        if desk.ask("ledger")["runs"]:
            desk.run("unfold", "1")
        assert listing(desk.place) == before
        assert desk.ask("fold", desk.docket, "--yes")["folded"] == 300


def test_a_full_disk_with_the_stock_is_freed_by_the_commands_that_free_it(desk: Desk, monkeypatch):
    """The home and the pictures are on one disk, which is full to the last byte."""
    monkeypatch.setattr(reserve, "_MOST", 8 << 20)
    with small_volume(desk.place, 24_000):
        pairs(desk, 300, size=1)
        desk.stock = desk.place / ".local/stock.sqlite3"
        before = listing(desk.place)
        desk.proposed()
        assert desk.ask("fold", desk.docket, "--yes")["folded"] == 300
        for _ in range(2):
            fill(desk.place)
            looks = ("", "places", "list", "duplicates", "ledger", "coverage", "space", "caches", "projects", "bin")
            for word in looks:
                assert desk.run(*word.split()).status == 0, word
            # Those that note what they saw take from the room that was set aside, and put the rest of it back.
            for words in (["ledger", "--verify"], ["scan"], ["checkup"]):
                fill(desk.place)
                assert desk.run(*words).err.count("full") == 0, words
        fill(desk.place)
        assert desk.ask("unfold", "1")["restored"] == 300
        assert {path: facts for path, facts in listing(desk.place).items() if path in before} == before
        (desk.place / "everything else.bin").unlink()
        assert desk.ask("fold", desk.docket, "--yes")["folded"] == 300
        fill(desk.place)
        assert desk.ask("release", "--last", "--yes")["released"] == 300


def test_a_stock_that_may_only_be_read_can_be_looked_at(desk: Desk):
    pairs(desk, 3, size=1)
    desk.stock.parent.mkdir()
    with small_volume(desk.stock.parent, 4_000):
        desk.proposed()
        known = [desk.run(*words).out for words in (["list"], ["duplicates"], ["places"], ["ledger"])]
        assert mounted("-o", "remount,ro", str(desk.stock.parent))
        assert [desk.run(*words).out for words in (["list"], ["duplicates"], ["places"], ["ledger"])] == known
        refused = desk.run("scan")
        assert (refused.status, refused.err.count("\n")) == (2, 1)
        assert "read-only file system" in refused.err


def test_a_read_only_volume_changes_nothing_and_says_so(desk: Desk):
    with small_volume(desk.place, 1000):
        pairs(desk, 2)
        before = listing(desk.place)
        desk.proposed()
        assert mounted("-o", "remount,ro", str(desk.place))
        answer = desk.run("fold", desk.docket, "--yes")
        assert (answer.status, "is read-only, and" in answer.err, answer.err.count("\n")) == (2, True, 1)
        assert mounted("-o", "remount,rw", str(desk.place))
        assert desk.ask("fold", desk.docket, "--yes")["folded"] == 2
        assert mounted("-o", "remount,ro", str(desk.place))
        for words in (["unfold", "1"], ["release", "1", "--yes"]):
            assert reasons(desk.ask(*words)) == {"its fold cannot be worked in: read-only file system"}
        assert mounted("-o", "remount,rw", str(desk.place))
        assert desk.ask("unfold", "1")["restored"] == 2
        assert listing(desk.place) == before


def test_a_fold_of_somebody_else_is_told_as_theirs_and_no_fault_of_the_volume(desk: Desk, monkeypatch):
    pairs(desk, 2, size=1)
    desk.proposed()
    (desk.place / ".foldkeep").mkdir(mode=0o700)
    before, owner = listing(desk.place), os.geteuid()

    def refused(*_: object, **__: object) -> None:
        raise PermissionError(13, os.strerror(13))

    monkeypatch.setattr("foldkeep.fold.runs.folding.Vault.__init__", refused)
    monkeypatch.setattr("foldkeep.fold.runs.unfolding.runs_in", refused)
    monkeypatch.setattr(os, "geteuid", lambda: owner + 1)
    theirs = "/.foldkeep belongs to "
    assert all(theirs in reason for reason in reasons(desk.ask("fold", desk.docket, "--yes")))
    for line in (["fold", desk.docket, "--yes", "--method", "hard-link"], ["unfold", "--from", desk.place]):
        (desk.place / ".foldkeep").mkdir(exist_ok=True)  # an empty one is tidied away
        answer = desk.run(*line)
        assert (answer.status, theirs in answer.err, "cannot make" in answer.err) == (2, True, False), answer
    assert listing(desk.place) == before


@pytest.mark.skipif(os.geteuid() != 0, reason="only root can take on another user")
def test_permission_lost_midway(monkeypatch):
    """In a child without root's rights, in a folder that root's are not needed for."""
    desk = Desk(Path(tempfile.mkdtemp(dir=QUICK)))
    pairs(desk, 2)
    desk.write("a.jpg", b"a" * 4000)
    desk.write("b/a.jpg", b"a" * 4000)
    before = listing(desk.place)
    desk.proposed()
    desk.ask("fold", desk.docket, "--yes")
    desk.ask("unfold", "1")  # all that is imported late is there now
    for folder, _, names in os.walk(desk.top):
        for path in [folder, *(os.path.join(folder, name) for name in names)]:
            os.chown(path, 65534, 65534)
    child = os.fork()
    if child == 0:
        right = False
        try:
            os.setegid(65534)
            os.seteuid(65534)
            meddle_before_acting(monkeypatch, lambda: (desk.place / "in").chmod(0o500))
            answer = desk.ask("fold", desk.docket, "--yes")
            right = answer["folded"] == 1 and reasons(answer) == {"permission denied"} and len(answer["left"]) == 2
        finally:
            os._exit(0 if right else 1)
    assert os.waitpid(child, 0)[1] == 0
    (desk.place / "in").chmod(0o755)
    assert desk.ask("unfold", "2")["restored"] == 1
    assert listing(desk.place) == before
    shutil.rmtree(desk.top)


def test_a_drive_that_goes_midway_and_comes_back(tmp_path: Path, monkeypatch):
    with attached_drive(tmp_path, "ext4") as (device, point):
        desk = Desk(tmp_path)
        desk.place = point
        shutil.rmtree(point / "lost+found")
        pairs(desk, 3)
        before = listing(point)
        desk.proposed()
        meddle_before_acting(monkeypatch, lambda: subprocess.run(["umount", "-l", point], check=True))
        answer = desk.run("fold", desk.docket, "--yes", "--json")
        assert answer.status in (0, 1)
        assert os.listdir(point) == [], "nothing is written to the folder under the mount"
        assert desk.run("unfold", "--last").status in (1, 2), "nothing is concluded from a drive that is away"
        while not mounted(device, str(point)):
            time.sleep(0.1)
        assert desk.run("unfold", "1").status == 0
        assert listing(point) == before
        (run,) = desk.ask("ledger")["runs"]
        assert (run["underway"], run["files"]["lost"], run["files"]["waiting"]) == (False, 0, 0)


def test_a_clock_that_is_set_back_releases_nothing_early(desk: Desk, monkeypatch):
    pairs(desk, 2)
    desk.proposed()
    rows = desk.docket.read_text().splitlines(keepends=True)
    for number, rest in enumerate((rows[:3], [rows[0], *rows[3:]])):
        desk.docket.write_text("".join(rest))
        if number:
            monkeypatch.setattr("time.time_ns", lambda: 10**18)
        assert desk.ask("fold", desk.docket, "--yes")["folded"] == 1
    monkeypatch.undo()
    assert desk.ask("ledger")["runs"][1]["started"].startswith("2001")
    assert desk.ask("release", "--older-than", "30d", "--yes")["released"] == 0
    assert desk.ask("release", "--all", "--yes")["released"] == 2


def test_two_folds_of_one_docket_at_once(desk: Desk):
    pairs(desk, 40)
    before = listing(desk.place)
    desk.proposed()
    line = [*PROGRAM, "fold", desk.docket, "--yes", "--quiet", "--stock", desk.stock]
    both = [subprocess.Popen(line, stderr=subprocess.PIPE, text=True) for _ in range(2)]
    told = [process.communicate(timeout=60)[1] for process in both]
    assert sorted(process.returncode for process in both) in ([0, 1], [0, 2]), told
    assert desk.ask("unfold", "1")["restored"] == 40
    assert listing(desk.place) == before
