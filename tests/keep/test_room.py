"""Where room could come from: in order of regret, and what the file system then shows is what the plan said."""

import contextlib
import os
import shlex
import sqlite3
import subprocess
import time

import pytest

from harness.desks import Desk, listing
from harness.disks import say_disks
from harness.drives import attached_drive

pytestmark = pytest.mark.on_disk

_MONTH_NS = 31 * 86_400 * 10**9


def free(point) -> int:
    subprocess.run(["sync"], check=True)
    facts = os.statvfs(point)
    return facts.f_bfree * facts.f_frsize


def noise(number: int, size: int) -> bytes:
    import random

    return random.Random(number).randbytes(size)


def binned(point, name: str, content: bytes) -> None:
    bin_ = point / f".Trash-{os.getuid()}"
    for folder in ("files", "info"):
        (bin_ / folder).mkdir(parents=True, exist_ok=True)
    (bin_ / "files" / name).write_bytes(content)
    (bin_ / "info" / f"{name}.trashinfo").write_text(f"[Trash Info]\nPath={name}\nDeletionDate=2026-01-02T03:04:05\n")


def test_a_plan_that_is_carried_out_frees_what_it_said(tmp_path, far):
    with attached_drive(tmp_path, "ext4") as (_, point):
        desk = Desk(tmp_path)
        desk.place = point
        other, third = tmp_path / "other", far / "third"
        for number in range(3):  # spares, folded a month ago
            for name in (f"old/{number}.jpg", f"old/copy of {number}.jpg"):
                desk.write(name, noise(number, 300_000))
        desk.proposed()
        assert desk.ask("fold", desk.docket, "--yes")["folded"] == 3
        with contextlib.closing(sqlite3.connect(desk.stock)) as stock, stock:
            stock.execute("UPDATE runs SET started_ns = started_ns - ?", (_MONTH_NS,))
        binned(point, "0.jpg", noise(0, 300_000))  # which the place has as well
        binned(point, "last.jpg", noise(99, 200_000))
        for number in range(10, 13):
            for name in (f"new/{number}.jpg", f"new/copy of {number}.jpg"):
                desk.write(name, noise(number, 500_000))
        os.link(point / "new/copy of 12.jpg", point / "new/linked.jpg")
        large = desk.write("film.mov", noise(50, 5_000_000), 1_500_000_000)
        for top in (other, third):
            top.mkdir()
            (top / "film.mov").write_bytes(large.read_bytes())
        desk.ask("scan", point, "--read-all")
        desk.ask("scan", other, "--read-all", "--role", "backup")
        desk.ask("scan", third, "--read-all", "--role", "archive")
        before = listing(point)
        little = desk.ask("room", "800kB", "--on", "drive")
        assert [step["step"] for step in little["steps"]] == ["folds"]
        assert little["missing"] == 0
        answer = desk.run("room", "1GB", "--on", "drive", "-o", tmp_path / "plan", "--json")
        plan = answer.json
        assert answer.status == 1
        assert [step["step"] for step in plan["steps"]] == ["folds", "bins", "spares"]
        assert plan["missing"] == plan["wanted"] - plan["frees"] > 900_000_000
        assert listing(point) == before
        assert "are missing" in desk.run("room", "1GB", "--on", "drive").out
        for step in plan["steps"]:
            was = free(point)
            words = shlex.split(step["command"])[1:]
            assert desk.run(*words, "--yes").status in (0, 1), words
            if words[0] == "fold":
                assert free(point) <= was + 100_000  # what is folded waits
                assert desk.run("release", "--last", "--yes").status == 0
            slack = 4096 * (step["files"] + 8)  # a block a file; journals and folders as well
            assert abs(free(point) - was - step["bytes"]) <= slack, step
        assert (point / f".Trash-{os.getuid()}/files/last.jpg").exists()
        kept = {path for path in before if not any(word in path for word in (b"copy", b"linked", b".Trash"))}
        assert kept <= listing(point).keys()


def test_large_old_files_that_are_safe_on_two_other_disks_come_last(tmp_path, far, monkeypatch):
    with attached_drive(tmp_path, "ext4") as (_, point):
        say_disks(monkeypatch, {point: "drive", far: "third"})
        desk = Desk(tmp_path)
        desk.place = point
        tops = {"backup": tmp_path / "other", "archive": far / "third"}
        content = noise(50, 1_000_000) * 101
        desk.write("film.mov", content, 1_500_000_000)
        desk.write("new film.mov", noise(51, 1_000_000) * 101, int(time.time()) - 86_400)
        desk.ask("scan", point, "--read-all")
        for role, top in tops.items():
            top.mkdir()
            (top / "film.mov").write_bytes(content)
            (top / "new film.mov").write_bytes(noise(51, 1_000_000) * 101)
            desk.ask("scan", top, "--read-all", "--role", role)
        (step,) = desk.ask("room", "90MB", "--on", "drive", "-o", tmp_path / "plan")["steps"]
        assert (step["step"], step["files"], step["bytes"]) == ("large", 1, 101_001_216)
        assert desk.ask("fold", step["docket"], "--yes")["folded"] == 1
        assert not (point / "film.mov").exists()
        # While one of the others is gone it is not safe any more.
        desk.ask("unfold", "1")
        (tops["archive"] / "film.mov").unlink()
        desk.ask("scan")
        assert desk.ask("room", "90MB", "--on", "drive")["steps"] == []


def test_room_names_the_volume_with_the_least_and_says_what_is_wrong(desk):
    desk.write("a.jpg", b"a" * 5000)
    desk.ask("scan", desk.place)
    assert desk.run("room").status == 2
    assert desk.run("room", "1GB", "--until-free", "5%").status == 2
    assert desk.run("room", "much").status == 2
    assert desk.run("room", "1GB", "--on", "plase").status == 2
    nothing = desk.run("room", "--until-free", "0.01%", "--json")
    assert (nothing.status, nothing.json["wanted"], nothing.json["steps"]) == (0, 0, [])
