"""A project over several media: every part passes by itself, and together they are the project again."""

import hashlib
import os
import random
import shutil
import subprocess
from pathlib import Path

import bagit
import pytest

from foldkeep.model.packages import FORMATS
from foldkeep.scan.packages import check_package
from harness.desks import Desk, TrustingDesk
from harness.packages import EDL, everything, unpack
from harness.points import Points, fail_from, kill_at

LIMIT = 12_000_000


@pytest.fixture
def desk(tmp_path: Path) -> Desk:
    return TrustingDesk(tmp_path)


def large_project(desk: Desk) -> Path:
    """A project that no medium of 12 MB holds, with a file that none holds, holes, links and names of all kinds."""
    project = desk.place / "edit"
    desk.write("sound/march.wav", random.Random("march").randbytes(70_000))
    desk.write("edit/cut.edl", EDL.format("../sound/march.wav").encode())
    for number in range(6):
        desk.write(f"edit/day {number % 2}/kite {number}.mp4", random.Random(number).randbytes(3_000_000))
    desk.write("edit/master.mov", random.Random("master").randbytes(25_000_001))
    desk.write("edit/master.mov.piece-1", b"somebody's own")
    desk.write(b"edit/odd/\xff?*|\xf0\x9f\xaa\x81" + "ü".encode() * 60 + b".jpg", b"odd")
    desk.write("edit/" + "/".join(["a step on the way down"] * 12) + "/deep.txt", b"deep")
    with (project / "holes.raw").open("wb") as file:
        file.seek(5_000_000)
        file.write(b"sea" * 5000)
        file.truncate(31_000_000)
    os.link(project / "master.mov", project / "day 1/again.mov")
    (project / "link").symlink_to("nowhere")
    (project / "empty").mkdir()
    os.setxattr(project / "master.mov", "user.kite", b"\xff\0=red")
    if os.geteuid() == 0:
        os.chown(project / "day 0/kite 0.mp4", 1234, 1235)
    (project / "day 0").chmod(0o550)
    return project


def extents(path: Path) -> list[tuple[int, int]]:
    found, at = [], 0
    with path.open("rb") as file:
        while True:
            try:
                start = os.lseek(file.fileno(), at, os.SEEK_DATA)
            except OSError:
                return found
            at = os.lseek(file.fileno(), start, os.SEEK_HOLE)
            found.append((start, at))


def more_of(top: Path) -> dict[str, tuple]:
    """Owners and attributes of all, where files have data, besides what `everything` tells."""
    return {
        str(path.relative_to(top)): (
            path.lstat().st_uid, path.lstat().st_gid,
            path.is_symlink() or [(name, os.getxattr(path, name)) for name in os.listxattr(path)],
            extents(path) if path.is_file() else None,
        )
        for path in top.rglob("*")
    }  # fmt: skip


def size_of(package: Path) -> int:
    paths = [path for path in package.rglob("*") if path.is_file()] if package.is_dir() else [package]
    return sum(-(-path.stat().st_size // 4096) * 4096 for path in paths)


@pytest.mark.parametrize("form", ["folder", *(pytest.param(each, marks=pytest.mark.more) for each in FORMATS[1:])])
def test_every_part_fits_and_passes_alone_and_together_they_are_the_project(desk: Desk, form: str):
    project = large_project(desk)
    before, more = everything(project), more_of(project)
    desk.ask("scan", desk.place)
    shelf = desk.top / "shelf"
    shelf.mkdir()
    (made,) = desk.ask("archive", project, "--to", shelf, "--format", form, "--split", "12MB")["packages"]
    parts = [Path(part["path"]) for part in made["parts"]]
    assert sorted(shelf.iterdir()) == sorted(parts)
    assert len(parts) >= 5
    for number, part in enumerate(parts, start=1):
        assert size_of(part) <= LIMIT, part
        unpacked = unpack(part, desk.top / f"unpacked {number}")
        assert bagit.Bag(str(unpacked)).validate()
        assert f"Bag-Count: {number} of {len(parts)}" in (unpacked / "bag-info.txt").read_text()
        assert all(other["key"] in (unpacked / "bag-info.txt").read_text() for other in made["parts"])
    back = desk.top / "back"
    back.mkdir()
    shuffled = random.Random(3).sample(parts, len(parts))
    answer = desk.ask("restore", *shuffled, "--to", back)
    assert (answer["problems"], answer["lost"], answer["files"]) == ([], {}, made["files"])
    there = everything(back / "edit")
    assert {path: facts for path, facts in there.items() if before.get(path) != facts} == {}
    there = more_of(back / "edit")
    assert {path: facts for path, facts in there.items() if more.get(path) != facts} == {}
    assert len(there) == len(more)
    refused = desk.run("restore", *parts[1:], "--to", back)
    assert (refused.status, "these are missing: 1;" in refused.err) == (2, True)
    some = desk.ask("restore", *parts[1:], "--to", back, "--without-parts")
    there = everything(back / "edit-2")
    assert all(there[path][2] == before[path][2] for path in there.keys() & before.keys() if path != b".")
    assert some["files"] < made["files"]
    for wrong in ([parts[1], parts[1]], [parts[0], project]):
        assert desk.run("restore", *wrong, "--to", back).status == 2


def test_a_disc_is_read_by_programs_of_others(desk: Desk):
    if not shutil.which("xorriso") or not shutil.which("fuseiso"):
        pytest.skip("xorriso or fuseiso is not here")
    project = large_project(desk)
    desk.ask("scan", desk.place)
    (made,) = desk.ask("archive", project, "--to", desk.top, "--format", "iso")["packages"]
    disc = Path(made["path"])
    mount = desk.top / "mount"
    mount.mkdir()
    subprocess.run(["fuseiso", disc, mount], check=True)
    try:
        assert bagit.Bag(str(mount)).validate()
        assert check_package(os.fsencode(mount)).is_whole
        joliet = unpack(disc, desk.top / "unpacked")
        assert bagit.Bag(str(joliet)).validate()
        (desk.top / "back").mkdir()
        assert desk.run("restore", mount, "--to", desk.top / "back").status == 0
        assert everything(desk.top / "back/edit") == everything(project)
    finally:
        subprocess.run(["fusermount", "-u", mount], check=True)
    content = bytearray(disc.read_bytes())
    for tree in ("joliet_path", "udf_path"):
        assert read_by_library(disc, tree) == read_by_library(disc, "rr_path")
    at = content.index((project / "master.mov").read_bytes()[1_000_000:1_000_100])
    content[at] ^= 1
    disc.write_bytes(content)
    checked = desk.ask("archive", "--check", disc)["checked"][0]
    assert [each["path"] for each in checked["problems"]] == ["data/edit/day 1/again.mov"]


def read_by_library(disc: Path, tree: str) -> dict[str, str]:
    import io

    import pycdlib

    image = pycdlib.PyCdlib()
    image.open(str(disc))
    found = {}
    for folder, _, names in image.walk(**{tree: "/"}):
        for name in names:
            path = f"{folder.rstrip('/')}/{name}"
            stream = io.BytesIO()
            image.get_file_from_iso_fp(stream, **{tree: path})
            found[path] = hashlib.sha256(stream.getvalue()).hexdigest()
    image.close()
    return found


@pytest.mark.more
@pytest.mark.parametrize("fault", [kill_at, pytest.param(fail_from, marks=pytest.mark.long)])
@pytest.mark.parametrize("form", ["folder", pytest.param("tar", marks=pytest.mark.long), "iso"])
def test_parts_that_were_finished_before_an_interruption_are_not_made_again(desk: Desk, form: str, fault):
    desk.write("edit/cut.edl", EDL.format("a.mp4").encode())
    desk.write("edit/a.mp4", random.Random("a").randbytes(20_000_000 if form == "iso" else 14_000_000))
    desk.ask("scan", desk.place)
    before = everything(desk.place)
    line = ["archive", desk.place / "edit", "--to", desk.top / "shelf", "--format", form, "--split", "12MB"]
    saved = desk.top / "saved.sqlite3"
    shutil.copy(desk.stock, saved)
    shelf = desk.top / "shelf"

    def fresh() -> None:
        shutil.rmtree(shelf, ignore_errors=True)
        shelf.mkdir()
        shutil.rmtree(desk.stock.parent)
        desk.stock.parent.mkdir()
        shutil.copy(saved, desk.stock)

    fresh()
    points = Points(lambda *_: None)
    with points.armed():
        desk.run(*line)
    stride = 1 if "FOLDKEEP_EXPLORE" in os.environ else max(1, points.count // (12 if form == "folder" else 4))
    for number in range(1, points.count, stride):
        fresh()
        child = os.fork()
        if child == 0:
            with Points(fault(number)).armed():
                os._exit(desk.run(*line).status)
        os.waitpid(child, 0)
        assert everything(desk.place) == before, number
        named = [path for path in shelf.iterdir() if not path.name.endswith(".unfinished")]
        assert all(check_package(os.fsencode(path)).is_whole for path in named), number
        if desk.ask("projects", "--archived")["archived"]:
            continue
        (made,) = desk.ask(*line)["packages"]
        assert sorted(path.name for path in shelf.iterdir()) == sorted(
            Path(part["path"]).name for part in made["parts"]
        )
        assert all(check_package(os.fsencode(part["path"])).is_whole for part in made["parts"]), number
        assert {part["key"] for part in made["parts"]} == {
            each["key"] for each in desk.ask("projects", "--archived")["archived"]
        }


def test_a_project_in_parts_is_folded_but_for_what_is_in_pieces(desk: Desk):
    project = large_project(desk)
    (project / "day 0").chmod(0o750)
    desk.write("edit/proxies/kite 1.mov", b"made from it")
    desk.ask("scan", desk.place)
    shelf = desk.top / "shelf"
    shelf.mkdir()
    line = ["archive", project, "--to", shelf, "--format", "tar", "--split", "12MB", "--fold-original", "--yes"]
    (made,) = desk.ask(*line)["packages"]
    left = {Path(each["path"]).name for each in made["left"]}
    assert left == {"master.mov", "again.mov", "holes.raw"}
    assert all("in pieces" in each["reason"] for each in made["left"])
    gone = next(part for part in made["parts"] if part["files"] > 1)
    shutil.move(gone["path"], desk.top / "elsewhere.tar")
    kept = desk.ask("release", str(made["run"]), "--yes")
    assert kept["released"] > 0
    assert kept["left"]
    assert desk.run("archive", "--check", desk.top / "elsewhere.tar").status == 0
    assert desk.ask("release", str(made["run"]), "--yes")["left"] == []


def test_a_package_that_the_stock_does_not_know_is_known_after_a_check(desk: Desk):
    desk.write("edit/cut.edl", EDL.format("a.mp4").encode())
    desk.write("edit/a.mp4", b"a" * 3000)
    desk.ask("scan", desk.place)
    shelf = desk.top / "shelf"
    shelf.mkdir()
    (made,) = desk.ask("archive", desk.place / "edit", "--to", shelf, "--format", "tar")["packages"]
    desk.stock.unlink()
    assert desk.run("archive", "--check", made["path"]).status == 0
    assert not desk.stock.exists()
    desk.ask("scan", desk.place)
    assert desk.run("archive", "--check", made["path"]).status == 0
    (known,) = desk.ask("projects", "--archived", "--name", "a.mp4")["archived"]
    assert (known["key"], known["is_there"], len(known["files"])) == (made["key"], True, 1)
    assert [each["state"] for each in desk.ask("projects")["projects"]] == ["archived"]
    # Discs are read at one path, one after another: the one before is away, not forgotten.
    desk.write("other/cut.edl", EDL.format("b.mp4").encode())
    desk.ask("scan")
    (other,) = desk.ask("archive", desk.place / "other", "--to", shelf, "--format", "tar")["packages"]
    os.replace(other["path"], made["path"])
    assert desk.run("archive", "--check", made["path"]).status == 0
    known = {each["key"]: each["is_there"] for each in desk.ask("projects", "--archived")["archived"]}
    assert known == {made["key"]: False, other["key"]: True}


def test_a_split_that_cannot_be_is_one_line(desk: Desk):
    desk.write("edit/cut.edl", EDL.format("a.mp4").encode())
    desk.ask("scan", desk.place)
    for size in ("1MB", "0", "kites", "-5MB", "9" * 400 + "GB"):
        answer = desk.run("archive", desk.place / "edit", "--to", desk.top, f"--split={size}")
        assert (answer.status, answer.err.count("\n")) == (2, 1), answer
