"""Packages of projects: whole or not there, checked like other people's, brought back exactly or not at all."""

import os
import random
import shutil
import subprocess
from pathlib import Path

import bagit
import pytest

import foldkeep.archive.archiving
from foldkeep.archive.writers import _Told
from foldkeep.model.packages import FORMATS
from foldkeep.scan.packages import check_package
from harness.desks import Desk, TrustingDesk, left
from harness.drives import mounted
from harness.packages import EDL, everything, unpack
from harness.points import Points, fail_from, kill_at


@pytest.fixture
def desk(tmp_path: Path) -> Desk:
    """What a recipe's word is worth is asked in test_evidence.py; here all of them are trusted."""
    return TrustingDesk(tmp_path)


def hostile_project(desk: Desk) -> Path:
    """A project with every kind of name and file that a system takes."""
    project = desk.place / "edit"
    outside = desk.write("sound/march.wav", b"a march" * 100)
    desk.write("edit/cut.edl", EDL.format("../sound/march.wav").encode())
    desk.write("edit/shot.mp4", b"the original" * 1000)
    desk.write("edit/proxies/shot.mov", b"made from it")
    desk.write("edit/proxies/lost.mov", b"the last there is of it")
    deep = "/".join(["a rather long step of a path to a file"] * 9)
    names = [
        b"no utf8 \xff\xfe.jpg", b"100%25.txt", b"two\nlines\r.txt", b" leading", b"trailing ", b"=41.txt", b"A.txt",
        b"~", b"*star", "e\u0301.txt".encode(), "\u00e9.txt".encode(), "\u202eabc.txt".encode(), b"x" * 255,
        b"\xff" * 255, b"tab\t\x1b[31m", deep.encode() + b"/deep.txt", b"a.TXT", "\u3000".encode(),
    ]  # fmt: skip
    for number, name in enumerate(names):
        desk.write(b"edit/odd/" + name, b"%d " % number * (number * 1000))
    os.utime(project / "odd/A.txt", ns=(1, 1_234_567_890_123_456_789))
    # What ext4 knows first and last, what exFAT knows last, and a year past 64 bits of nanoseconds.
    for name, seconds in (("~", -(2**31)), ("*star", 15_032_385_535), (" leading", 4_354_819_199), ("a.TXT", 10**10)):
        os.utime(project / "odd" / name, ns=(1, seconds * 10**9 + 7))
    (project / "empty/inner").mkdir(parents=True)
    os.link(project / "shot.mp4", project / "odd/again.mp4")
    with (project / "holes.bin").open("wb") as file:
        file.seek(3_000_000)
        file.write(b"end")
        file.truncate(9_000_000)
    for name, text in (("dangling", "nowhere"), ("absolute", str(outside)), ("up", "../sound"), ("odd/in", "A.txt")):
        (project / name).symlink_to(text)
    (project / "odd/A.txt").chmod(0o4751)
    (project / "empty").chmod(0o500)
    for folder in (project / "empty", project / "odd", project):
        os.utime(folder, ns=(5, 1_600_000_000_123_456_789))
    return project


@pytest.mark.parametrize("form", FORMATS)
def test_archived_deleted_and_restored_it_is_what_it_was(desk: Desk, form: str):
    project = hostile_project(desk)
    shelf = desk.top / "shelf"
    shelf.mkdir()
    desk.ask("scan", desk.place)
    before = everything(project)
    (made,) = desk.ask("archive", project, "--to", shelf, "--format", form, "--sha256")["packages"]
    assert everything(project) == before
    assert [path.name for path in shelf.iterdir()] == [Path(made["path"]).name]
    assert (made["left_out"], made["outside"], made["problems"]) == (len(b"made from it"), 1, [])
    unpacked = unpack(Path(made["path"]), desk.top / "unpacked")
    assert bagit.Bag(str(unpacked)).validate()
    assert desk.ask("archive", "--check", made["path"])["checked"][0]["whole"]
    (project / "empty").chmod(0o700)  # or only root could take it away
    shutil.rmtree(project)
    (desk.top / "back").mkdir()
    restored = desk.ask("restore", made["path"], "--to", desk.top / "back", "--special-modes")
    assert restored["problems"] == []
    back = everything(desk.top / "back/edit")
    gone = before.pop(b"proxies/shot.mov")
    assert gone
    assert back == before
    if form == "folder":
        assert (desk.top / "back/edit/holes.bin").stat().st_blocks * 512 < 5_000_000
    assert (desk.top / "back/edit (outside media)").joinpath(*desk.place.parts[1:], "sound/march.wav").exists()
    # Again, over what is there now: nothing is overwritten, and outside media finds itself in its place.
    line = ["restore", made["path"], "--to", desk.top / "back", "--outside-media-back", "--special-modes", "--yes"]
    again = desk.ask(*line)
    assert (Path(again["folder"]["path"]).name, again["put_back"], again["outside"]) == ("edit-2", 1, None)
    assert everything(desk.top / "back/edit") == back == everything(desk.top / "back/edit-2")
    desk.write("sound/march.wav", b"another march")
    (third,) = desk.ask(*line)["renamed"]
    assert Path(third["to"]["path"]).read_bytes() == b"a march" * 100
    assert (desk.place / "sound/march.wav").read_bytes() == b"another march"


QUICK = {("folder", kill_at), ("folder", fail_from), ("tar", kill_at)}


@pytest.mark.parametrize(("form", "fault"), [
    pytest.param(form, fault, marks=pytest.mark.more if (form, fault) in QUICK else pytest.mark.long)
    for form in FORMATS for fault in (kill_at, fail_from)
])  # fmt: skip
def test_interrupted_anywhere_the_project_stays_and_no_half_package_looks_whole(desk: Desk, form: str, fault):
    desk.write("edit/cut.edl", EDL.format("a.mp4").encode())
    desk.write("edit/a.mp4", b"a" * 3000)
    desk.write("edit/b.mp4", b"b" * 2000)
    desk.ask("scan", desk.place)
    shelf = desk.top / "shelf"
    saved = desk.top / "saved.sqlite3"
    shutil.copy(desk.stock, saved)
    before = everything(desk.place)
    number, finished, went_on, found_again = 0, False, 0, 0
    while not finished:
        number += 1
        assert number < 500
        shutil.rmtree(shelf, ignore_errors=True)
        shutil.rmtree(desk.stock.parent)
        desk.stock.parent.mkdir()
        shutil.copy(saved, desk.stock)
        shelf.mkdir()
        child = os.fork()
        if child == 0:
            points = Points(fault(number))
            # Into one file, libraries write; every piece that is read for them is a point as well.
            _Told.read = points.wrap(_Told.read, "piece")
            with points.armed():
                os._exit(desk.run("archive", desk.place / "edit", "--to", shelf, "--format", form).status)
        ended = os.waitpid(child, 0)[1]
        finished = ended == 0
        assert everything(desk.place) == before, number
        for path in shelf.iterdir():
            whole = check_package(os.fsencode(path)).is_whole
            assert whole == (not path.name.endswith(".unfinished")), (number, path)
            if path.is_dir() and not whole:
                assert not (path / "package/bagit.txt").exists() or form == "folder"
        if desk.ask("projects", "--archived")["archived"]:  # the stock knows of it; another would be a second one
            continue
        had_name = any(not path.name.endswith(".unfinished") for path in shelf.iterdir())
        (made,) = desk.ask("archive", desk.place / "edit", "--to", shelf, "--format", form)["packages"]
        assert check_package(os.fsencode(made["path"])).is_whole
        # One that has its name, and that the stock may not know of, is found.
        assert made["went_on"] in ((3,) if had_name else (0, 1, 2, 3) if form == "folder" else (0, 3)), number
        found_again += had_name
        went_on += bool(made["went_on"])
        assert [path.name for path in shelf.iterdir()] == [Path(made["path"]).name], number
        assert [each["key"] for each in desk.ask("projects", "--archived")["archived"]] == [made["key"]]
    assert number > 10
    assert went_on
    assert found_again
    print(f"\narchive as {form}, {fault.__name__}: {number - 1} points")


@pytest.mark.long
@pytest.mark.parametrize("form", ["folder", "tar"])
def test_killed_anywhere_the_original_that_is_folded_comes_back(desk: Desk, form: str):
    desk.write("edit/cut.edl", EDL.format("a.mp4").encode())
    desk.write("edit/a.mp4", b"a" * 3000)
    desk.write("edit/proxies/a.mov", b"small")
    desk.ask("scan", desk.place)
    shelf, saved = desk.top / "shelf", desk.top / "saved"
    shutil.copytree(desk.place, saved / "place")
    shutil.copytree(desk.stock.parent, saved / "stock")
    before = {path: facts[::2] for path, facts in everything(desk.place).items()}
    number, finished = 0, False
    while not finished:
        number += 1
        assert number < 1000
        for path in (desk.place, desk.stock.parent, shelf):
            shutil.rmtree(path, ignore_errors=True)
        shutil.copytree(saved / "place", desk.place)
        shutil.copytree(saved / "stock", desk.stock.parent)
        shelf.mkdir()
        child = os.fork()
        if child == 0:
            words = ["archive", desk.place / "edit", "--to", shelf, "--format", form, "--fold-original", "--yes"]
            with Points(kill_at(number)).armed():
                os._exit(desk.run(*words).status)
        finished = os.waitpid(child, 0)[1] == 0
        if desk.ask("ledger")["runs"]:
            desk.run("unfold", "1")
        assert {path: facts[::2] for path, facts in everything(desk.place).items()} == before, number
        for path in shelf.iterdir():
            assert check_package(os.fsencode(path)).is_whole == (not path.name.endswith(".unfinished")), number
    print(f"\narchive as {form} and fold: killed at each of {number - 1} points")


def test_a_target_that_writes_something_else_is_found_out(desk: Desk, monkeypatch):
    desk.write("edit/cut.edl", EDL.format("a.mp4").encode())
    desk.write("edit/a.mp4", b"a" * 3000)
    desk.ask("scan", desk.place)
    shelf = desk.top / "shelf"
    shelf.mkdir()
    honest = foldkeep.archive.writers.write_all

    def wrong(descriptor: int, data: bytes) -> None:
        honest(descriptor, data.replace(b"aaa", b"aab", 1))

    monkeypatch.setattr(foldkeep.archive.writers, "write_all", wrong)
    refused = desk.run("archive", desk.place / "edit", "--to", shelf)
    assert (refused.status, "reads differently from what was written: data/edit/a.mp4" in refused.err) == (2, True)
    assert [path.name for path in shelf.iterdir()] == ["edit.unfinished"]
    monkeypatch.undo()
    (made,) = desk.ask("archive", desk.place / "edit", "--to", shelf)["packages"]
    assert (made["went_on"], check_package(os.fsencode(made["path"])).is_whole) == (1, True)


def test_a_target_that_fills_up_is_said_and_gone_on_with(desk: Desk):
    shelf = desk.top / "shelf"
    shelf.mkdir()
    if not mounted("-t", "tmpfs", "-o", "size=6m", "none", str(shelf)):
        pytest.skip("mounting is refused here")
    try:
        desk.write("edit/cut.edl", EDL.format("a.mp4").encode())
        for name in "abc":
            desk.write(f"edit/{name}.mp4", random.Random(name).randbytes(1_500_000))
        desk.ask("scan", desk.place)
        before = everything(desk.place)
        (shelf / "other").write_bytes(bytes(3_000_000))
        refused = desk.run("archive", desk.place / "edit", "--to", shelf)
        assert (refused.status, "there is no room for" in refused.err) == (2, True)
        honest = os.statvfs
        try:
            os.statvfs = lambda path: os.statvfs_result((*honest(path)[:3], 10**9, 10**9, *honest(path)[5:]))
            refused = desk.run("archive", desk.place / "edit", "--to", shelf)
        finally:
            os.statvfs = honest
        assert (refused.status, "no space left" in refused.err, "run it again to go on" in refused.err) == (
            2,
            True,
            True,
        )
        assert everything(desk.place) == before
        assert sorted(path.name for path in shelf.iterdir()) == ["edit.unfinished", "other"]
        (shelf / "other").unlink()
        (made,) = desk.ask("archive", desk.place / "edit", "--to", shelf)["packages"]
        assert made["went_on"] >= 1
        assert check_package(os.fsencode(made["path"])).is_whole
    finally:
        subprocess.run(["umount", "-l", shelf], check=False)


@pytest.mark.parametrize("form", ["folder", "tar"])
def test_the_original_is_folded_when_it_is_what_the_package_has(desk: Desk, form: str, monkeypatch):
    project = desk.place / "edit"
    desk.write("edit/cut.edl", EDL.format("a.mp4").encode())
    desk.write("edit/a.mp4", b"a" * 3000)
    desk.write("edit/b.mp4", b"b" * 2000)
    desk.write("edit/proxies/a.mov", b"small")
    desk.write("edit/cut.edl.xmp", b"a sidecar")
    desk.ask("scan", desk.place)
    shelf = desk.top / "shelf"
    shelf.mkdir()
    before = everything(desk.place)
    real = foldkeep.archive.archiving._write_down

    def somebody_works(*args):
        real(*args)
        desk.write("edit/b.mp4", b"c" * 2000)

    monkeypatch.setattr(foldkeep.archive.archiving, "_write_down", somebody_works)
    answer = desk.ask("archive", project, "--to", shelf, "--format", form, "--fold-original", "--yes")
    (made,) = answer["packages"]
    assert [(name, why[:14]) for name, why in left(made)] == [("b.mp4", "its content is")]
    assert made["folded"] == 4
    desk.write("edit/b.mp4", b"b" * 2000)
    monkeypatch.undo()
    assert desk.ask("unfold", str(made["run"]))["restored"] == 4
    after = everything(desk.place)
    assert {path: facts[0::2] for path, facts in after.items() if b".foldkeep" not in path} == {
        path: facts[0::2] for path, facts in before.items()
    }
    desk.ask("scan")
    (second,) = desk.ask("archive", project, "--to", shelf, "--format", form, "--fold-original", "--yes")["packages"]
    assert (second["left"], second["folded"], project.exists()) == ([], 5, False)
    shutil.rmtree(made["path"]) if form == "folder" else os.unlink(made["path"])
    moved = shelf / "moved"
    os.rename(second["path"], moved)
    kept = desk.ask("release", str(second["run"]), "--yes")
    assert kept["released"] == 0
    assert len(kept["left"]) == 5
    # A proxy of a project that was archived is another matter: what it is made from came after the package.
    desk.write("edit/late.mp4", b"filmed since")
    desk.write("edit/cut.edl", EDL.format("late.mp4").encode())
    desk.write("edit/proxies/late.mov", b"late")
    desk.ask("scan")
    desk.ask("caches", "-o", desk.docket)
    late = desk.ask("fold", desk.docket, "--yes")
    (desk.place / "edit/late.mp4").unlink()
    assert desk.run("archive", "--check", moved).status == 0  # by which it is known where that lies now
    assert desk.ask("release", str(second["run"]), "--yes")["released"] == 5
    assert (late["folded"], desk.ask("release", str(late["run"]), "--yes")["released"]) == (1, 0)
    archived = desk.ask("projects", "--archived", "--name", "*.MP4")["archived"]
    assert [len(each["files"]) for each in archived] == [2, 2]
    assert [each["is_there"] for each in archived] == [False, True]
