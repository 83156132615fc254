"""Fixity on a drive whose bits flip, the bins of desktops, and subvolumes: what counts as a good copy elsewhere."""

import os
import random
import shutil
import subprocess
import sys

import pytest

from foldkeep.model.names import path_from_uri
from foldkeep.stock import Stock
from harness.desks import Desk, left, listing
from harness.drives import attached_drive

pytestmark = pytest.mark.on_disk


def test_fixity_finds_every_flipped_byte_and_invents_none(tmp_path):
    """Bytes are flipped on the device, below the file system: no time tells of it."""
    with attached_drive(tmp_path, "ext4") as (device, point):
        desk = Desk(tmp_path)
        names = [f"shoot/{number:02d}.jpg" for number in range(24)]
        drawn = random.Random(1)
        contents = {name: drawn.randbytes(30_000 + 500 * number) for number, name in enumerate(names)}
        for name, content in contents.items():
            (point / name).parent.mkdir(exist_ok=True)
            (point / name).write_bytes(content)
            os.utime(point / name, (1_750_000_000, 1_750_000_000))
        for name in names[::3]:
            desk.write(name, contents[name])
        subprocess.run(["sync"], check=True)
        back_in_time(desk)
        desk.ask("scan", desk.place)
        desk.ask("scan", point, "--read-all")
        assert desk.ask("fixity")["damaged"] == []
        subprocess.run(["umount", point], check=True)
        rotten = names[::4]
        for name in rotten:
            flip(device, contents[name])
        subprocess.run(["mount", device, point], check=True)
        (point / names[1]).write_bytes(contents[names[1]][:-4] + b"new!")  # an edit, with its time put back
        os.utime(point / names[1], (1_750_000_000, 1_750_000_000))
        desk.ask("scan", point)
        found = desk.run("fixity", "-o", desk.docket, "--json")
        assert found.status == 1
        assert sorted(each["path"] for each in found.json["damaged"]) == [str(point / name) for name in rotten]
        assert [each["path"] for each in found.json["changed"]] == [str(point / names[1])]
        healable = [name for name in rotten if name in names[::3]]
        assert [each["path"] for each in found.json["damaged"] if each["good"]] == [str(point / n) for n in healable]
        desk.ask("scan", point)  # no later scan takes it for an edit
        assert len(desk.ask("fixity")["damaged"]) == len(rotten)
        counted = desk.ask("coverage")
        assert counted["damaged_files"] == len(rotten)
        answer = desk.ask("fold", desk.docket, "--yes", "--method", "heal")
        assert (answer["folded"], left(answer)) == (len(healable), [])
        assert all((point / name).read_bytes() == contents[name] for name in healable)
        assert len(desk.ask("fixity")["damaged"]) == len(rotten) - len(healable)
        assert desk.ask("unfold", "1")["restored"] == len(healable)
        assert len(desk.ask("fixity")["damaged"]) == len(rotten)


def back_in_time(desk: Desk) -> None:
    """Wait until a change would show in the time of last change of what was just written."""
    import time

    time.sleep(0.06)


def flip(device: str, content: bytes) -> None:
    """Change a byte in the middle of a file on its device."""
    with open(device, "r+b", buffering=0) as disk:
        size, step, mark = 400 * 1024 * 1024, 1 << 22, content[8192 : 8192 + 64]
        for start in range(0, size, step):
            disk.seek(start)
            at = disk.read(step).find(mark)
            if at >= 0:
                disk.seek(start + at)
                disk.write(bytes([content[8192] ^ 1]))
                os.fsync(disk.fileno())
                return
    raise AssertionError("it is not on the device")


def test_fixity_goes_on_where_it_was_and_remembers_when_each_was_right(desk):
    for number in range(20):
        desk.write(f"{number:02d}.jpg", b"%d" % number * 1000)
    desk.ask("scan", desk.place)
    first = desk.ask("fixity", "--portion", "30%")
    assert 5 <= first["files"] <= 9
    assert first["files"] + first["left"]["files"] == 20
    second = desk.ask("fixity", "--portion", "60%")
    with Stock.open(os.fspath(desk.stock)) as stock:
        from foldkeep.stock import Checked

        checked = stock.checks.of(Checked.FILE)
    assert len(checked) == first["files"] + second["files"]
    assert all(check.right_ns for check in checked.values())
    assert desk.run("fixity", "--for", "soon").status == 2
    assert desk.run("fixity", "--place", "plase").status == 2
    assert desk.ask("fixity", "--for", "1h")["files"] == 20


def thrown_away(desk: Desk, *names: str, by: str) -> None:
    """Put files of the place into the desktop's bin by the desktop's own tools."""
    variables = {**os.environ, "XDG_DATA_HOME": str(desk.top / "home")}
    (desk.top / "home").mkdir(exist_ok=True)
    paths = [str(desk.place / name) for name in names]
    line = ["gio", "trash", *paths]
    if by == "send2trash":
        line = [sys.executable, "-c", "import sys, send2trash; send2trash.send2trash(sys.argv[1:])", *paths]
    if not shutil.which(line[0]):
        pytest.skip("gio is not to be had here")
    subprocess.run(line, env=variables, check=True)


@pytest.mark.parametrize("by", ["gio", "send2trash"])
def test_bins_of_the_desktop_are_listed_and_emptied_but_for_what_is_nowhere_else(desk, by):
    for name in ("a.jpg", "sub/a.jpg"):
        desk.write(name, b"a" * 5000)
    desk.write("red %41 kite\n.jpg", b"b" * 6000)
    desk.write("old/deep/c.mov", b"c" * 7000)
    desk.write("kept.mov", b"c" * 7000)
    os.symlink("/etc", desk.place / "old/link")
    desk.write("mixed/d.mov", b"d" * 8000)
    desk.write("mixed/a.jpg", b"a" * 5000)
    thrown_away(desk, "a.jpg", "red %41 kite\n.jpg", "old", "mixed", by=by)
    desk.ask("scan", desk.place)
    found = desk.ask("bin")
    originals = {path_from_uri(each["original"]["uri"]): each for each in found["items"]}
    assert originals.keys() == {
        os.fsencode(desk.place / name) for name in ("a.jpg", "red %41 kite\n.jpg", "old", "mixed")
    }
    last = {name for name, each in originals.items() if each["nowhere_else"]}
    assert last == {os.fsencode(desk.place / name) for name in ("red %41 kite\n.jpg", "mixed")}
    assert found["totals"] == {"items": 4, "files": 5, "bytes": 31_000, "nowhere_else": 2}
    assert "Bins: 4 items" in desk.run("space").out
    assert desk.ask("bin", "--older-than", "1d")["items"] == []
    before = listing(desk.place)
    assert desk.run("release", "--bin").status == 2
    answer = desk.run("release", "--bin", "--yes", "--json")
    assert (answer.status, answer.json["released"], answer.json["bytes"], len(answer.json["left"])) == (1, 2, 12_000, 2)
    assert {path_from_uri(each["original"]["uri"]) for each in desk.ask("bin")["items"]} == last
    assert sorted(path.suffix for path in (desk.top / "home/Trash/info").iterdir()) == [".trashinfo"] * 2
    assert listing(desk.place) == before
    gone = desk.ask("release", "--bin", "--yes", "--allow-last-copy")
    assert (gone["released"], gone["left"]) == (3, [])
    assert [path for path in (desk.top / "home/Trash").glob("*/*") if path.name != "directorysizes"] == []
    assert desk.run("unfold", "1").out == "Nothing of run 1 waits in the fold.\n"


def test_subvolumes_of_one_file_system_are_one_disk(tmp_path):
    with attached_drive(tmp_path, "btrfs") as (_, point):
        desk = Desk(tmp_path)
        for name in ("card", "library"):
            if not shutil.which("btrfs"):
                pytest.skip("btrfs is not to be had here")
            subprocess.run(["btrfs", "subvolume", "create", point / name], check=True, capture_output=True)
        (point / "card/kite.jpg").write_bytes(b"kite" * 9000)
        shutil.copy2(point / "card/kite.jpg", point / "library")
        desk.ask("scan", point / "library", "--read-all")
        answer = desk.run("coverage", point / "card", "--json")
        assert (answer.status, answer.json["safe"]) == (1, False)
        desk.ask("scan", point / "card", "--read-all")
        assert desk.ask("coverage")["disks"]["one disk"]["contents"] == 1
