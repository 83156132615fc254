"""A place knows itself: at another path, beside its copy, by its mark."""

import json
import os
import shutil
import subprocess
from pathlib import Path

import pytest

from harness.desks import Desk
from harness.drives import KINDS, Drive, by_kernel, desk_on, forget_drives, looks, mounted, over_another, run, unmount

pytestmark = pytest.mark.on_disk


def test_an_away_drive_is_told_and_its_last_scan_stays(tmp_path: Path):
    desk = Desk(tmp_path)
    desk.write("a.jpg")
    desk.ask("scan", desk.place)
    (before,) = desk.ask("places")["places"]
    desk.place.rename(tmp_path / "elsewhere")
    answer = desk.run("scan")
    assert (answer.status, answer.out) == (1, "No place could be scanned now.\n")
    (after,) = desk.ask("places")["places"]
    assert after["scanned"] == before["scanned"]


@pytest.mark.parametrize("anything", [*KINDS, "overlay", "sshfs"], indirect=True)
def test_a_drive_at_another_path_is_the_same_place(anything, tmp_path: Path):
    drive = anything
    desk = desk_on(drive, tmp_path)
    inner = desk.place / "inner"
    inner.mkdir()
    desk.write("inner/kite 0.jpg", b"0" * 9000)
    desk.ask("scan", inner)
    desk.proposed()
    if isinstance(drive, Drive) and drive._mount is over_another:  # it has nothing else to be known by
        assert desk.run("places", "--mark", desk.place).status == desk.run("places", "--mark", inner).status == 0
    before = {path.relative_to(desk.place): facts for path, facts in ((Path(os.fsdecode(each)), facts)
              for each, facts in looks(desk).items())}  # fmt: skip
    folded = desk.ask("fold", desk.docket, "--yes")
    assert folded["left"] == []
    other = tmp_path / "elsewhere"
    other.mkdir()

    def move(to: Path) -> None:
        drive.move(to)
        desk.place = to / "media"

    was = desk.place
    move(other)
    answer = desk.run("scan")
    assert f"The drive of {was} is at {desk.place} now; all that is known of it holds.\n" in answer.err
    assert (answer.status, "No content had to be read." in answer.out) == (0, True), answer
    places = desk.ask("places")["places"]
    assert sorted(each["path"] for each in places) == [str(desk.place), str(desk.place / "inner")]
    assert sum(each["files"] for each in places) == 13
    move(tmp_path / "drive")
    answer = desk.run("unfold", str(folded["run"]), "--json")
    assert (answer.status, answer.json["left"]) == (0, []), answer
    back = {path.relative_to(desk.place): facts for path, facts in ((Path(os.fsdecode(each)), facts)
            for each, facts in looks(desk).items())}  # fmt: skip
    assert back == before
    move(other)
    again = desk.ask("fold", desk.docket, "--yes")  # the docket that names the paths of before
    assert (again["left"], again["folded"]) == ([], folded["folded"])
    assert desk.ask("release", str(again["run"]), "--yes")["left"] == []


def attached_copy(drive: Drive, tmp_path: Path) -> tuple[str, Path]:
    """Copy a drive, block by block, and mount the copy; both say that they are the same."""
    subprocess.run(["sync", "-f", drive.point], check=True)
    shutil.copy(drive.image, tmp_path / "second")
    found = subprocess.run(["losetup", "-f", "--show", tmp_path / "second"], capture_output=True, text=True, check=True)
    (tmp_path / "copy").mkdir()
    assert by_kernel(found.stdout.strip(), tmp_path / "copy")
    return found.stdout.strip(), tmp_path / "copy"


def test_a_copy_of_a_drive_is_noticed_and_becomes_a_place_of_its_own(tmp_path: Path):
    drive = Drive(tmp_path, *KINDS["ext4"])
    device = ""
    try:
        desk = desk_on(drive, tmp_path)
        desk.proposed()
        assert desk.ask("fold", desk.docket, "--yes")["left"] == []
        mark = json.loads((desk.place / ".foldkeep/place").read_bytes())["place"].removeprefix("urn:uuid:")
        (place,) = desk.ask("places")["places"]
        assert (place["mark"], place["volume"]["capabilities"]["links"]) == (mark, True)
        device, point = attached_copy(drive, tmp_path)
        copy = point / "media"
        refused = desk.run("scan", copy)
        assert (refused.status, len(desk.ask("places")["places"])) == (2, 1)
        assert refused.err == (
            f"foldkeep scan: {copy} says that it is {desk.place}; if that is there now: foldkeep places media "
            f"--moved-to {copy}; if it is a copy of it: foldkeep places --mark {copy}\n"
        )
        assert desk.run("places", "media", "--moved-to", copy).status == 2  # it is where it was
        assert desk.run("places", "--mark", copy).status == 0
        assert desk.run("scan", copy, "--role", "backup").status == 0
        found = {each["path"]: each for each in desk.ask("places")["places"]}
        assert found[str(desk.place)]["mark"] == mark != found[str(copy)]["mark"]
        assert found[str(desk.place)]["volume"]["key"] != found[str(copy)]["volume"]["key"]
        sets = desk.ask("duplicates")["sets"]
        assert sets == []  # a backup is nobody's spare
        desk.ask("scan")
        # The drives change places, and each is told from the other.
        for each in (drive.point, point):
            unmount(each)
        (tmp_path / "third").mkdir()
        assert by_kernel(drive.device, point)
        assert by_kernel(device, tmp_path / "third")
        answer = desk.run("scan")
        assert (answer.status, "No content had to be read." in answer.out) == (0, True), answer
        now = {each["mark"]: each["path"] for each in desk.ask("places")["places"]}
        assert now[mark] == str(copy)
        assert str(tmp_path / "third/media") in now.values()
        assert desk.ask("unfold", "--last")["left"] == []
        assert len(looks(desk)) == 0  # nothing is at the path of before
        assert not (copy / ".foldkeep").exists()  # the mark that the fold made went with it
        assert (tmp_path / "third/media/.foldkeep/place").exists()  # the one that was asked for stays
    finally:
        for name in ("copy", "third"):
            run("umount", "-l", tmp_path / name)
        if device:
            run("losetup", "-d", device)
        drive.close()


def test_a_snapshot_beside_its_place_is_a_place_of_its_own(tmp_path: Path):
    drive = Drive(tmp_path, ["mkfs.btrfs", "-q"], by_kernel)
    snapshot = tmp_path / "snapshot"
    snapshot.mkdir()
    try:
        subprocess.run(["btrfs", "-q", "subvolume", "create", drive.point / "now"], check=True)
        unmount(drive.point)
        assert mounted("-o", "subvol=now", drive.device, str(drive.point))
        desk = desk_on(drive, tmp_path)
        desk.proposed()
        folded = desk.ask("fold", desk.docket, "--yes")
        (tmp_path / "top").mkdir()
        assert mounted("-o", "subvol=/", drive.device, str(tmp_path / "top"))
        line = ["btrfs", "-q", "subvolume", "snapshot", "-r", tmp_path / "top/now", tmp_path / "top/then"]
        subprocess.run(line, check=True)
        assert mounted("-o", "subvol=then,ro", drive.device, str(snapshot))
        for _ in range(2):
            assert desk.run("scan", snapshot / "media").status == 0
        assert [each["now"] for each in desk.ask("places")["places"]] == ["here", "here"]
        marks = {each["path"]: each["mark"] for each in desk.ask("places")["places"]}
        assert marks[str(snapshot / "media")] is None
        assert marks[str(desk.place)] is not None
        desk.ask("scan")
        assert (desk.ask("scan")["read_bytes"], desk.ask("scan")["problems"]) == (0, [])
        assert desk.ask("unfold", str(folded["run"]))["left"] == []
    finally:
        for path in (snapshot, tmp_path / "top"):
            run("umount", "-l", path)
        drive.close()


def bound(source: Path, point: Path) -> None:
    point.mkdir()
    if not run("bindfs", source, point):
        pytest.skip("bindfs is not to be had here")


def test_a_mark_is_enough_where_a_drive_has_nothing_else_to_be_known_by(tmp_path: Path):
    forget_drives()
    (tmp_path / "real").mkdir()
    desk = Desk(tmp_path)
    desk.place.rmdir()
    desk.place = tmp_path / "bound"
    bound(tmp_path / "real", desk.place)
    try:
        for name in ("a.jpg", "b.jpg"):
            desk.write(name, b"kite" * 3000)
        desk.proposed()
        assert desk.run("places", "--mark", desk.place).status == 0
        run("umount", desk.place)
        bound(tmp_path / "real", tmp_path / "elsewhere")
        forget_drives()
        answer = desk.run("scan")
        assert (answer.status, "No content had to be read." in answer.out) == (0, True), answer
        assert [each["path"] for each in desk.ask("places")["places"]] == [str(tmp_path / "elsewhere")]
        # One folder through two mounts is no copy of itself, whatever the user says.
        bound(tmp_path / "real", tmp_path / "again")
        assert desk.run("scan", tmp_path / "again").status == 2
        refused = desk.run("places", "--mark", tmp_path / "again")
        assert (refused.status, "are one folder, seen through two mounts" in refused.err) == (2, True), refused
        assert desk.run("scan").status == 0
    finally:
        for name in ("bound", "elsewhere", "again"):
            run("umount", "-l", tmp_path / name)


@pytest.mark.parametrize(
    "text",
    [b"", b"{", b"[" * 100_000, b'{"place": 5}', b'{"place": "urn:uuid:kite"}', b"\xff" * 5000, b'{"place": "urn:uuid:',
     b'{"place": "urn:uuid:00000000-0000-4000-8000-00000000000g", "stays": 7}', "fifo", "folder", "link"],
)  # fmt: skip
def test_a_mark_that_nobody_sane_would_make_is_none(desk: Desk, text):
    for name in ("a.jpg", "copy/b.jpg"):
        desk.write(name, b"kite" * 3000)
    desk.proposed()
    (desk.place / ".foldkeep").mkdir()
    mark = desk.place / ".foldkeep/place"
    if text == "fifo":
        os.mkfifo(mark)
    elif text == "folder":
        mark.mkdir()
    elif text == "link":
        mark.symlink_to(desk.docket)
    else:
        mark.write_bytes(text)
    assert desk.run("scan").status == 0
    docket = desk.docket.read_bytes()
    assert desk.ask("fold", desk.docket, "--yes")["left"] == []
    assert desk.ask("unfold", "--last")["left"] == []
    ours = b'{"place": "urn:uuid:'
    is_ours = isinstance(text, bytes) and (text.startswith(ours) or ours.startswith(text))
    assert (os.path.lexists(mark), desk.docket.read_bytes()) == (not is_ours, docket)


def test_a_drive_is_not_followed_into_a_folder_that_is_another(tmp_path: Path):
    drive = Drive(tmp_path, *KINDS["ext4"])
    try:
        desk = desk_on(drive, tmp_path)
        desk.ask("scan", desk.place)
        shutil.rmtree(desk.place)
        desk.place.mkdir()
        desk.write("something else.jpg", b"else")
        unmount(drive.point)
        drive.point = tmp_path / "elsewhere"
        drive.point.mkdir()
        assert by_kernel(drive.device, drive.point)
        answer = desk.run("scan")
        assert (answer.status, "is at" in answer.err) == (1, False), answer
        assert desk.ask("places")["places"][0]["files"] == 25
    finally:
        drive.close()
