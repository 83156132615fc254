"""Which projects are archived, what comes along, and under which names."""

import fcntl
import hashlib
import os
import shutil
from pathlib import Path

import bagit
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import foldkeep.archive.archiving
import foldkeep.archive.restoring
from foldkeep.model.names import path_from_uri
from foldkeep.model.packages import FORMATS
from foldkeep.scan.packages import check_package
from harness.desks import Desk, TrustingDesk, contents, edit
from harness.packages import EDL, everything, unpack


@pytest.fixture
def desk(tmp_path: Path) -> Desk:
    """What a recipe's word is worth is asked in test_evidence.py; here all of them are trusted."""
    return TrustingDesk(tmp_path)


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
    edit(desk.docket, lambda row: {**row, "action": row["action"].replace("keep", "fold")})
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


@settings(max_examples=15, suppress_health_check=[HealthCheck.function_scoped_fixture])
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
    before = everything(desk.place)
    answer = desk.run("archive", desk.place / "march/edit", "--to", shelf)
    assert (answer.status, everything(desk.place)) == (130, before)
    monkeypatch.undo()
    half = shelf / "edit.unfinished"
    assert f"{desk.place}/march/edit is as it was; " in answer.err
    assert f"are written in {half}, which is no package yet; the same command finishes it" in answer.err
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
    (desk.top / "back").mkdir()
    with monkeypatch.context() as patched:
        patched.setattr(foldkeep.archive.restoring, "write_all", interrupt)
        answer = desk.run("restore", made["path"], "--to", desk.top / "back")
    assert (answer.status, list((desk.top / "back").iterdir())) == (130, [])
    assert f"nothing was restored, and nothing of it is left in {desk.top}/back" in answer.err
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


@pytest.mark.more
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
