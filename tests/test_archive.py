"""Packages of projects: whole or not there, checked like other people's, brought back exactly or not at all."""

import fcntl
import hashlib
import os
import random
import shutil
import subprocess
from pathlib import Path

import bagit
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import foldkeep.archive.archiving
from foldkeep.archive import FORMATS
from foldkeep.archive.writers import _Told
from foldkeep.model import path_from_uri
from foldkeep.scan import check_package
from harness.desks import Desk, TrustingDesk, contents, left
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
    pytest.param(form, fault, marks=() if (form, fault) in QUICK else pytest.mark.long)
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


def test_all_quiet_projects_by_docket(desk: Desk):
    for name, modified in (("march", 1_500_000_000), ("waltz", 1_600_000_000), ("new", 4_000_000_000)):
        desk.write(f"{name}/cut.edl", EDL.format(f"{name}.mp4").encode(), modified)
        desk.write(f"{name}/{name}.mp4", name.encode() * 100, modified)
    desk.write("waltz/cut.edl", EDL.format("../march/march.mp4").encode(), 1_600_000_000)
    desk.ask("scan", desk.place)
    shelf = desk.top / "shelf"
    shelf.mkdir()
    assert desk.ask("projects", "-o", desk.docket)["docket"] == str(desk.docket)
    rows = [line.split(",")[1:3] for line in desk.docket.read_text().splitlines()[1:]]
    assert rows == [["leave", str(desk.place / "march")], ["keep", str(desk.place / "waltz")]]
    assert desk.run("fold", desk.docket, "--yes").status == 0  # which has nothing to fold in it
    desk.docket.write_text(desk.docket.read_text().replace("keep", "fold"))
    refused = desk.run("archive", "--docket", desk.docket, "--to", shelf)
    assert (refused.status, "and fold the original" in refused.err, "add --yes" in refused.err) == (2, True, True)
    answer = desk.run("archive", "--docket", desk.docket, "--to", shelf, "--format", "tar", answer="y\n")
    assert answer.status == 0, answer.err
    assert [path.name for path in shelf.iterdir()] == ["waltz.tar"]
    states = {Path(each["path"]).name: each["state"] for each in desk.ask("projects")["projects"]}
    assert states == {"march": "quiet", "new": "active"}
    assert contents(desk.place) >= {hashlib.sha256(b"march" * 100).hexdigest()}


def test_wrong_usage_of_archive_and_restore_is_one_line(desk: Desk):
    desk.write("edit/cut.edl", EDL.format("a.mp4").encode())
    desk.write("plain/a.txt")
    desk.ask("scan", desk.place)
    for words, why in ((("archive",), "not clear"), (("archive", desk.place / "edit"), "not clear"),
                       (("archive", desk.place / "edit", "--to", desk.top / "none"), "there is no folder"),
                       (("archive", desk.place / "plain", "--to", desk.top), "is no project that is known"),
                       (("archive", desk.place / "edit", "--to", desk.place / "edit"), "lies in the project itself"),
                       (("archive", "--check"), "--check reads packages"),
                       (("restore", desk.top / "none", "--to", desk.top), "no such file"),
                       (("restore", desk.place / "plain", "--to", desk.top), "it has no bagit.txt"),
                       (("restore", desk.place, "--to", desk.top / "none"), "there is no folder")):  # fmt: skip
        answer = desk.run(*words)
        assert (answer.status, why in answer.err, answer.err.count("\n")) == (2, True, 1), answer.err


STEPS = st.binary(min_size=1, max_size=40).filter(
    lambda name: not {0, 47} & {*name} and name not in (b".", b"..", b".foldkeep")
)


@settings(max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    names=st.lists(st.tuples(STEPS, STEPS), max_size=6, unique_by=lambda pair: pair[0]), form=st.sampled_from(FORMATS)
)
def test_any_names_come_back_and_every_reader_of_bags_understands_them(tmp_path_factory, names, form):
    desk = Desk(tmp_path_factory.mktemp("names"))
    desk.write("edit/cut.edl", EDL.format("a.mp4").encode())
    for number, (folder, name) in enumerate(names):
        desk.write(b"edit/" + folder + b"/" + name, b"%d" % number)
        desk.write(b"edit/" + folder + b"/" + name + b".txt", b"%d beside" % number)
    desk.ask("scan", desk.place)
    before = everything(desk.place / "edit")
    (made,) = desk.ask("archive", desk.place / "edit", "--to", desk.top, "--format", form,
                        "--with-generated")["packages"]  # fmt: skip
    assert bagit.Bag(str(unpack(Path(made["path"]), desk.top / "unpacked"))).validate()
    (desk.top / "back").mkdir()
    assert desk.run("restore", made["path"], "--to", desk.top / "back").status == 0
    assert everything(desk.top / "back/edit") == before
    shutil.rmtree(desk.top)


def packed(package: Path) -> set[str]:
    return {str(path.relative_to(package / "data")) for path in (package / "data").rglob("*") if path.is_file()}


def test_what_can_be_made_again_and_what_lies_elsewhere_comes_along_as_it_is_asked_for(desk: Desk):
    desk.write("sound/march.wav", b"march")
    desk.write("edit/cut.edl", (EDL.format("../sound/march.wav") + "* SOURCE FILE: ../far/b.mp4\n").encode())
    desk.write("edit/a.mp4", b"a" * 300)
    desk.write("far/b.mp4", b"b" * 300)
    desk.write("edit/proxies/a.mov", b"of a")
    desk.write("edit/converted media/8f.mov", b"of b")
    desk.write("edit/converted media/manifest.txt", b"8f.mov\t../../far/b.mp4\n")
    desk.ask("scan", desk.place)
    elsewhere = "outside media" + str(desk.place)

    def made(*words: str) -> tuple[set[str], int]:
        (found,) = desk.ask("archive", desk.place / "edit", "--to", desk.top, *words)["packages"]
        return packed(Path(found["path"])), found["left_out"]

    originals = {"edit/cut.edl", "edit/a.mp4", "edit/converted media/manifest.txt"}
    outside = {f"{elsewhere}/sound/march.wav", f"{elsewhere}/far/b.mp4"}
    assert made() == (originals | outside, 8)
    # Without what it is made from, a conversion is the last there is of that in the package.
    assert made("--without-outside-media") == (originals | {"edit/converted media/8f.mov"}, 4)
    assert made("--with-generated") == (
        originals | outside | {"edit/proxies/a.mov", "edit/converted media/8f.mov"}, 0,
    )  # fmt: skip
    # What a timeline uses as it is may have been made by hand after all: it comes along.
    desk.write("edit/renders/title.mov", b"used")
    desk.write("edit/renders/draft.mov", b"not used")
    desk.write("edit/cut.edl", (desk.place / "edit/cut.edl").read_bytes() + b"* FROM CLIP NAME: title.mov\n")
    desk.ask("scan")
    assert made() == (originals | outside | {"edit/renders/title.mov"}, 16)
    (desk.place / "edit/odd.aaf").write_bytes(b"\0 may use anything")
    desk.ask("scan")
    assert made()[1] == 0
    (desk.place / "edit/odd.aaf").unlink()
    desk.ask("scan")
    (desk.place / "far/b.mp4").unlink()
    answer = desk.run("archive", desk.place / "edit", "--to", desk.top, "--fold-original", "--yes")
    assert (answer.status, "stays where it is, since not all of it could be archived" in answer.err) == (2, True)
    assert (desk.place / "edit/a.mp4").exists()


def test_an_interrupted_package_is_gone_on_with_only_for_the_same_project_as_it_is(desk: Desk, monkeypatch):
    for name in ("march", "waltz"):
        desk.write(f"{name}/edit/cut.edl", EDL.format("a.mp4").encode())
        for file in "abc":
            desk.write(f"{name}/edit/{file}.mp4", f"{name} {file}".encode() * 100)
    desk.ask("scan", desk.place)
    shelf = desk.top / "shelf"
    shelf.mkdir()

    def interrupt(*_) -> None:
        raise KeyboardInterrupt

    monkeypatch.setattr(foldkeep.archive.archiving.Site, "check", interrupt)
    assert desk.run("archive", desk.place / "march/edit", "--to", shelf).status == 130
    monkeypatch.undo()
    half = shelf / "edit.unfinished"
    somebodys = shelf / "edit-2.unfinished/notes.txt"
    somebodys.parent.mkdir()
    somebodys.write_text("not ours")
    assert (desk.run("archive", "--check", half).status, desk.run("restore", half, "--to", desk.top).status) == (1, 2)
    (other,) = desk.ask("archive", desk.place / "waltz/edit", "--to", shelf)["packages"]
    assert (other["went_on"], half.exists(), Path(other["path"]).name) == (0, True, "edit")
    desk.write("march/edit/b.mp4", b"changed since")
    (desk.place / "march/edit/c.mp4").unlink()
    with (half / "making.jsonl").open() as held:
        fcntl.flock(held, fcntl.LOCK_EX)  # as another Fold Keep would that works in it
        (beside,) = desk.ask("archive", desk.place / "march/edit", "--to", shelf)["packages"]
        assert (beside["went_on"], Path(beside["path"]).name) == (0, "edit-2")
    (made,) = desk.ask("archive", desk.place / "march/edit", "--to", shelf)["packages"]
    assert (made["went_on"], half.exists()) == (2, False)
    assert b"changed since" in (Path(made["path"]) / "data/edit/b.mp4").read_bytes()
    assert [path.name for path in somebodys.parent.iterdir()] == ["notes.txt"]
    shutil.rmtree(somebodys.parent)
    assert all(check_package(os.fsencode(path)).is_whole for path in shelf.iterdir())


def test_a_package_in_a_place_is_no_project_no_cache_and_gives_no_file_up(desk: Desk):
    desk.write("edit/cut.edl", EDL.format("a.mp4").encode())
    desk.write("edit/a.mp4", b"a" * 3000)
    desk.write("edit/proxies/a.mov", b"small")
    desk.ask("scan", desk.place)
    shelf = desk.place / "shelf"
    shelf.mkdir()
    desk.ask("archive", desk.place / "edit", "--to", shelf, "--with-generated")
    desk.write("copy of a.mp4", b"a" * 3000)
    desk.ask("scan")
    assert [Path(each["path"]).name for each in desk.ask("projects")["projects"]] == ["edit"]
    assert [each["path"] for each in desk.ask("caches")["regenerable"]] == [str(desk.place / "edit/proxies/a.mov")]
    desk.ask("keep", "-o", desk.docket)
    rows = {line.split(",")[2]: line.split(",")[1] for line in desk.docket.read_text().splitlines()}
    assert rows[str(desk.place / "copy of a.mp4")] == "fold"
    assert rows[str(desk.place / "edit/a.mp4")] == "keep"
    assert rows[str(shelf / "edit/data/edit/a.mp4")] == "leave"
    assert desk.ask("fold", desk.docket, "--yes")["folded"] == 1
    assert check_package(os.fsencode(shelf / "edit")).is_whole


ODD = (b"~cut", "\u00fc".encode() * 125, b"two\nlines", b" ", b"-rf", b"C:", b"100%\xff")


@pytest.mark.parametrize("name", ODD)
def test_a_project_of_any_name_comes_through_every_form_and_without_special_modes(desk: Desk, name: bytes):
    desk.write(name + b"/cut.edl", EDL.format("a.mp4").encode())
    tool = desk.write(name + b"/a.mp4", b"a" * 9)
    tool.chmod(0o6755)
    tool.parent.chmod(0o3775)
    desk.ask("scan", desk.place)
    (desk.top / "back").mkdir()
    for form in FORMATS:
        (made,) = desk.ask("archive", tool.parent, "--to", desk.top, "--format", form)["packages"]
        assert desk.run("archive", "--check", made["path"]).status == 0
        back = desk.ask("restore", made["path"], "--to", desk.top / "back")
        assert back["without_rights"] == 2
        folder = Path(os.fsdecode(path_from_uri(back["folder"]["uri"])))
        assert sorted(path.name for path in folder.iterdir()) == ["a.mp4", "cut.edl"]
        assert ((folder / "a.mp4").stat().st_mode & 0o7777, folder.stat().st_mode & 0o7777) == (0o755, 0o775)
