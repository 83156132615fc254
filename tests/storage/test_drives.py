"""The drives that people have, on real file systems: found, folded, brought back exactly, known again."""

import errno
import fcntl
import os
import shutil
import subprocess
import time
from collections.abc import Callable
from pathlib import Path

import pytest

from foldkeep.model.volumes import Way
from foldkeep.storage.local.changes import flushing, names
from foldkeep.storage.local.drives import capabilities_of, limits_of, volumes
from harness.desks import TrustingDesk
from harness.drives import (
    KINDS,
    Drive,
    desk_on,
    looks,
    mounted,
    run,
)
from harness.packages import everything
from harness.points import Points, befores, every_content, kill_at

pytestmark = pytest.mark.on_disk


@pytest.mark.parametrize("anything", [*KINDS, "overlay", "sshfs"], indirect=True)
def test_what_was_folded_comes_back_exactly_and_a_drive_that_returns_is_not_read_again(anything, tmp_path: Path):
    drive = anything
    desk = desk_on(drive, tmp_path)
    for path in ("day/film.mov", "card/DCIM/copy of film.mov"):
        desk.write(path, b"a film" * 500_000)
    desk.proposed()
    before = looks(desk)
    for method in ("fold", "hard-link", "clone", "symlink"):
        answer = desk.run("fold", desk.docket, "--yes", "--method", method, "--json")
        if method != "fold" and answer.status == 2:
            assert "cannot" in answer.err or "does not" in answer.err or "no " in answer.err, answer.err
            assert looks(desk) == before
            continue
        assert (answer.status, answer.json["folded"], answer.json["left"]) == (0, 14 if method == "fold" else 13, [])
        assert desk.ask("unfold", str(answer.json["run"]))["left"] == []
        assert looks(desk) == before
        assert not (desk.place / ".foldkeep").exists()
    desk.ask("scan")
    drive.again()
    again = desk.ask("scan")
    assert (again["files"], again["read_bytes"], again["problems"]) == (27, 0, [])
    (desk.place / "day").rename(desk.place / "another day")
    drive.again()
    moved = desk.ask("scan")
    # Where inode numbers do not last, the first and last block tell, which of a small file are all of it.
    assert (moved["moved"], moved["hashed_files"]) in ((13, 0), (1, 12))
    assert (moved["read_bytes"] < 1_000_000, moved["problems"]) == (True, [])
    found = desk.ask("duplicates")["totals"]
    assert (found["sets"], found["spares"]) == (13, 13)


def test_on_fat_by_fuse_whose_renames_change_times_content_decides(tmp_path: Path):
    drive = Drive(
        tmp_path,
        ["mkfs.vfat", "-F", "32"],
        lambda device, point: run("fusefat", "-o", "rw+", device, point),
    )
    try:
        desk = desk_on(drive, tmp_path)
        desk.proposed()
        before = sorted((path, facts[0]) for path, facts in looks(desk).items())
        folded = desk.run("fold", desk.docket, "--yes", "--json")
        # Of a sidecar only its looks were known, which are not what they were.
        assert [each["path"] for each in folded.json["left"]] == [str(desk.place / "card/DCIM/copy of kite 3.xmp")]
        assert (folded.status, folded.json["folded"]) == (1, 12)
        assert desk.ask("unfold", "--last")["left"] == []
        assert sorted((path, facts[0]) for path, facts in looks(desk).items()) == before
        assert not (desk.place / ".foldkeep").exists()
        time.sleep(2.1)  # a file that was changed a moment ago may be changed again without its time telling
        desk.ask("scan")
        drive.again()
        assert (desk.ask("scan")["read_bytes"], desk.ask("duplicates")["totals"]["sets"]) == (0, 12)
        assert desk.ask("fold", desk.docket, "--yes")["folded"] == 0  # the docket names times of before
        desk.docket.unlink()
        desk.proposed()
        again = desk.run("fold", desk.docket, "--yes", "--json").json
        assert desk.ask("release", str(again["run"]), "--yes")["released"] == 12
        assert {digest for _, digest in before} >= every_content(desk.place)
        # A film that no FAT can hold is told before anything starts.
        desk.place = tmp_path / "films"
        desk.place.mkdir()
        desk.ask("scan", desk.place)
        rows = ["set,action,path,size,kind,modified,digest,reason,uri"]
        for action, name in (("keep", "film.mov"), ("fold", "copy.mov")):
            film = desk.write(name, b"", 1_750_000_000)
            os.truncate(film, 2**32)
            os.utime(film, (1_750_000_000, 1_750_000_000))
            rows.append(f"s1,{action},,{2**32},video,2025-06-15T15:06:40Z,,,{film.as_uri()}")
        (tmp_path / "films.csv").write_text("\n".join(rows))
        refused = desk.run("fold", tmp_path / "films.csv", "--yes", "--method", "move", "--to", drive.point, "--json")
        assert [each["reason"] for each in refused.json["left"]] == ["no file there can have more than 4.29 GB"]
    finally:
        drive.close()


@pytest.mark.more
@pytest.mark.parametrize("command", ["fold", "unfold", "release"])
@pytest.mark.parametrize(
    "anything",
    [pytest.param(kind, marks=() if kind == "exfat" else pytest.mark.long) for kind in (*KINDS, "overlay", "sshfs")],
    indirect=True,
)
def test_killed_at_every_point_on_a_real_drive_nothing_is_lost(anything, tmp_path: Path, command: str):
    drive = anything
    every = "FOLDKEEP_EXPLORE" in os.environ
    desk = desk_on(drive, tmp_path)
    for number in range(2, 12):
        for path in (f"day/kite {number}.jpg", f"card/DCIM/copy of kite {number}.jpg"):
            (desk.place / path).unlink()
    desk.proposed()
    line = {
        "fold": ["fold", str(desk.docket), "--yes"],
        "unfold": ["unfold", "1"],
        "release": ["release", "1", "--yes"],
    }
    if command != "fold":
        assert desk.ask("fold", desk.docket, "--yes")["left"] == []
    saved = tmp_path / "saved"
    shutil.copytree(desk.place, saved / "place", copy_function=shutil.copy2)
    shutil.copytree(desk.stock.parent, saved / "stock")
    content = every_content(desk.place)

    def reset() -> None:
        subprocess.run(["find", desk.place, "-mindepth", "1", "-delete"], check=True)
        shutil.copytree(saved / "place", desk.place, dirs_exist_ok=True)
        shutil.rmtree(desk.stock.parent)
        shutil.copytree(saved / "stock", desk.stock.parent)

    reset()
    points = Points(lambda *_: None)
    with points.armed():
        desk.run(*line[command])
    numbers = befores(points.site)
    for number in numbers if every else numbers[:: max(1, len(numbers) // 25)]:
        reset()
        child = os.fork()
        if child == 0:
            with Points(kill_at(number)).armed():
                desk.run(*line[command])
            os._exit(0)
        os.waitpid(child, 0)
        where = f"at {number}: {points.site[number - 1]}"
        assert content <= every_content(desk.place) or command == "release", where
        answer = desk.run("unfold", "1", "--json")
        assert answer.status in (0, 1, 2), (where, answer)
        if command != "release":
            assert content == every_content(desk.place), where
            names = {path.name for path in desk.place.rglob("*") if path.is_file()}
            assert names == {"kite 0.jpg", "kite 1.jpg", "copy of kite 0.jpg", "copy of kite 1.jpg",
                             "copy of kite 3.xmp"}, where  # fmt: skip


NAMES = [b"a:b?.txt", b"end.", b"aux.txt", "\u00fc".encode() * 120 + b".txt", b"no \xff\xfe.txt", b"A.TXT", b"a.txt",
         "\U0001fa81".encode() * 60, b"x" * 250]  # fmt: skip


def test_names_that_a_drive_cannot_have_are_told_and_kept(drive: Drive, tmp_path: Path):
    desk = TrustingDesk(tmp_path)
    desk.write("edit/cut.edl", b"TITLE: cut\n* FROM CLIP NAME: a.mp4\n")
    desk.write("edit/a.mp4", b"a" * 100)
    for number, name in enumerate(NAMES):
        desk.write(b"edit/odd/" + name, b"%d" % number)
    before = everything(desk.place / "edit")
    desk.ask("scan", desk.place)
    shelf, back = drive.point / "shelf", tmp_path / "back"
    shelf.mkdir()
    back.mkdir()
    (made,) = desk.ask("archive", desk.place / "edit", "--to", shelf)["packages"]
    assert made["problems"] == []
    assert desk.run("archive", "--check", made["path"]).status == 0
    assert desk.run("restore", made["path"], "--to", back).status == 0
    assert everything(back / "edit") == before
    answer = desk.run("restore", made["path"], "--to", shelf, "--json")
    there = [path for path in (shelf / "edit-2").rglob("*") if path.is_file()]
    assert sorted(path.read_bytes() for path in there) == sorted(
        path.read_bytes() for path in (desk.place / "edit").rglob("*") if path.is_file()
    )
    same = {os.fsencode(path.name) for path in there} >= set(NAMES)
    assert (answer.json["fitted"] == 0) == same, answer
    assert ("cannot be in" in answer.err) == (not same and any(
        limits_of(os.fsencode(shelf)).refusal(name) for name in NAMES))  # fmt: skip
    for name in NAMES:
        desk.write(b"copies/" + name + b".jpg", b"%d" % len(name) * 50)
        desk.write(b"copies/keeper of " + str(len(name)).encode() + b".jpg", b"%d" % len(name) * 50)
    if same:
        return
    desk.docket.unlink(missing_ok=True)
    desk.proposed()
    moved = desk.ask("fold", desk.docket, "--yes", "--method", "move", "--to", shelf)
    assert {each["reason"].partition(":")[0] for each in moved["left"]} <= {"its name cannot be there"}
    assert desk.ask("unfold", str(moved["run"]))["left"] == []
    assert [path.name for path in shelf.iterdir() if b"probe" in os.fsencode(path.name)] == []


def written_once(kind: str, source: Path, image: Path, point: Path) -> bool:
    """Make an image that cannot be written to of a folder, and mount it."""
    if kind == "squashfs":
        return run("mksquashfs", source, image, "-quiet") and mounted("-o", "loop,ro", str(image), str(point))
    made = run("xorriso", "-as", "mkisofs", "-quiet", "-R", "-J", "-o", image, source)
    return made and run("fuseiso", image, point)


@pytest.mark.parametrize("kind", ["ext4 read-only", "squashfs", "iso"])
def test_a_read_only_drive_is_scanned_and_refused_at_once(tmp_path: Path, kind: str):
    drive = Drive(tmp_path, *KINDS["ext4"])
    point = drive.point
    try:
        desk = desk_on(drive, tmp_path)
        if kind == "ext4 read-only":
            assert mounted("-o", "remount,ro", str(drive.point))
        else:
            point = tmp_path / "read only"
            point.mkdir()
            if not written_once(kind, drive.point, tmp_path / "once.image", point):
                pytest.skip(f"an image of {kind} is not to be had here")
            desk.place = point / "media"
        desk.proposed()
        before = looks(desk)
        refused = desk.run("fold", desk.docket, "--yes")
        assert (refused.status, "is read-only, and" in refused.err, refused.err.count("\n")) == (2, True, 1), refused
        assert desk.ask("ledger")["runs"] == []
        assert (desk.ask("scan")["read_bytes"], looks(desk)) == (0, before)
        saved = tmp_path / "drive.inventory"
        assert desk.run("inventory", "save", saved).status == 0
        assert desk.run("compare", saved, desk.place).status == 0
    finally:
        run("umount", "-l", point)
        drive.close()


@pytest.mark.parametrize("anything", [*KINDS, "overlay", "sshfs"], indirect=True)
def test_what_each_drive_can_do_is_what_the_readme_says(anything, request):
    drive = anything
    folder = drive.point / "folder"
    folder.mkdir()
    files = [folder / f"{number}" for number in range(6)]
    for path in files:
        path.write_bytes(b"kite" * 3000)
    os.utime(files[0], ns=(10**18, 10**18 + 123_456_789))
    numbers = [path.stat().st_ino for path in files]
    descriptor = os.open(folder, os.O_RDONLY)
    try:
        try:
            names._rename_without_replacing(descriptor, b"5", descriptor, b"6")
            refuses, files[5] = True, folder / "6"
        except OSError:
            refuses = False
        links = can(lambda: os.link(files[0], folder / "link")) and (folder / "link").samefile(files[0])
        with files[1].open("rb") as source, (folder / "clone").open("wb") as target:
            clones = can(lambda: fcntl.ioctl(target, 0x40049409, source.fileno()))
    finally:
        os.close(descriptor)
    drive.again()
    # The other way round: what numbers files as it sees them would give each the same one again.
    lasting = numbers[::-1] == [path.stat().st_ino for path in files[::-1]]
    kept = files[0].stat().st_mtime_ns - 10**18
    (drive.point / ".foldkeep-probe").mkdir()  # of one that was killed
    (drive.point / ".foldkeep-probe/probe").touch()
    found = capabilities_of(os.fsencode(drive.point))
    assert os.fsencode(".foldkeep-probe") not in os.listdir(os.fsencode(drive.point))
    way = Way.RENAME if refuses else Way.LINK if links else Way.CLAIM
    tick = {123_456_789: 1, 123_456_700: 100, 0: 1_000_000_000}[kept]
    assert (found.way, found.links, found.clones, found.tick_ns) == (way, links, clones, tick)
    assert found.keeps_inodes == lasting
    plain = found.limits.has_plain_names and not found.limits.has_case
    row = [
        request.node.callspec.params["anything"], "yes" if links else "no", "yes" if clones else "no", way,
        {1: "1 ns", 100: "100 ns", 1_000_000_000: "1 s"}[tick], "yes" if lasting else "no",
        'no `*:?"<>\\|`, one case' if plain else "any",
    ]  # fmt: skip
    assert f"| {' | '.join(row)} |" in (Path(__file__).parents[2] / "docs/drives.md").read_text(), row


PLIST = b"""<?xml version="1.0"?><plist version="1.0"><dict><key>VolumeUUID</key>
<string>0A81F3B1-51D9-3335-B3E3-169C3640360D</string><key>FilesystemType</key><string>exfat</string></dict></plist>"""


@pytest.mark.parametrize(
    ("platform", "answers", "told"),
    [
        ("darwin", {"diskutil": PLIST}, ("0A81F3B1-51D9-3335-B3E3-169C3640360D", "exfat")),
        ("darwin", {"diskutil": b"<plist><dict>"}, (None, "")),
        ("darwin", {}, (None, "")),
        ("linux", {"blkid": b"DEVNAME=/dev/x\nUUID=6B4F-F17B\nTYPE=exfat\n"}, ("6B4F-F17B", "exfat")),
        ("linux", {"lsblk": b'UUID="6B4F-F17B" FSTYPE="vfat"\n'}, ("6B4F-F17B", "vfat")),
        ("linux", {"blkid": b"\xff\n\n=\n"}, (None, "")),
        ("linux", {}, (None, "")),
    ],
)
def test_what_the_tools_of_a_system_say_of_a_device(monkeypatch, platform, answers, told):
    monkeypatch.setattr(volumes.sys, "platform", platform)
    monkeypatch.setattr(volumes, "_answer", lambda tool, *_: answers.get(tool, b""))
    assert volumes._asked.__wrapped__("/dev/x") == told


def test_flushing_goes_through_the_cache_of_a_drive_where_the_system_has_a_call_for_it(monkeypatch, tmp_path: Path):
    asked, flushed = [], []
    monkeypatch.setattr(flushing, "_FULL", 51)
    monkeypatch.setattr(os, "fsync", flushed.append)
    monkeypatch.setattr(fcntl, "fcntl", lambda *args: asked.append(args))
    flushing.flush(3)
    assert (asked, flushed) == ([(3, 51)], [])

    def refused(*_):
        raise OSError(errno.ENOTTY, "not a disk")

    monkeypatch.setattr(fcntl, "fcntl", refused)
    flushing.flush(3)
    assert flushed == [3]


def can(call: Callable[[], object]) -> bool:
    try:
        call()
    except OSError:
        return False
    return True


@pytest.mark.more
@pytest.mark.parametrize("anything", [*KINDS, "overlay", "sshfs"], indirect=True)
def test_what_is_copied_to_a_drive_is_whole_and_what_is_healed_there_comes_back(anything, tmp_path: Path, far):
    drive = anything
    desk = desk_on(drive, tmp_path)
    card = far / "card"
    for name in ("DCIM/100/one.mov", "DCIM/101/two.mov"):
        (card / name).parent.mkdir(parents=True)
        (card / name).write_bytes(name.encode() * 20_000)
    desk.proposed()
    before = looks(desk)
    desk.docket.unlink()
    assert desk.run("coverage", card, "-o", desk.docket).status == 1
    words = ("fold", desk.docket, "--yes", "--method", "copy", "--to", desk.place, "--below", card)
    assert desk.ask(*words)["folded"] == 2
    # What a program shows may be anywhere, until somebody says where it is.
    is_shown = desk.run("coverage", card, "--json").json["disks"] == []
    assert desk.run("places", desk.place, "--disk", "a drive" * is_shown).status == 0
    answer = desk.run("coverage", card, "--json")
    assert (answer.status, answer.json["safe"]) == (0, True)
    assert every_content(card) <= every_content(desk.place / "DCIM")
    again = desk.ask(*words)
    assert {each["reason"] for each in again["left"]} == {"lies there already, with the same content"}
    drive.again()
    assert desk.ask("unfold", "1")["restored"] == 2
    assert looks(desk) == before
    # A copy that is damaged, as far as can be told here, and healed from the other.
    damaged = min(desk.place.rglob("copy*.jpg"))
    good = damaged.read_bytes()
    desk.ask("scan", desk.place, "--read-all")
    desk.rot(os.fspath(damaged.relative_to(desk.place)))
    desk.docket.unlink()
    found = desk.ask("fixity", "-o", desk.docket)
    if not found["damaged"]:  # where times do not tell, or moved with the byte
        assert [each["path"] for each in found["changed"]] == [str(damaged)]
        return
    assert desk.ask("fold", desk.docket, "--yes", "--method", "heal")["folded"] == 1
    assert damaged.read_bytes() == good
    assert desk.ask("unfold", "--last")["restored"] == 1
    assert damaged.read_bytes() != good
