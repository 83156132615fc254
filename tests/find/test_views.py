"""Views of a card that are no second copy of it, each beside one that is: what `coverage FOLDER` may call safe.

The second disk is said to be one by the test: this machine has one disk. What is under the views is found out.
"""

import os
import shutil
import subprocess
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path

import pytest

from harness.desks import Desk
from harness.disks import say_disks
from harness.drives import Shared, attached_drive, mounted
from harness.requests import CHANGING, Faults, watched
from harness.servers import KINDS, served
from harness.tools import need

pytestmark = pytest.mark.on_disk

FILES = {"DCIM/100/IMG_1.jpg": b"picture 1" * 9000, "DCIM/100/IMG_2.jpg": b"picture 2" * 9000, "notes.txt": b"words"}


def fill(folder: Path) -> Path:
    for name, body in FILES.items():
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(body)
        os.utime(path, (1_750_000_000, 1_750_000_000))
    return folder


def run(*line: str | os.PathLike[str]) -> None:
    if not shutil.which(line[0]) or subprocess.run(line, capture_output=True, check=False).returncode:
        pytest.skip(f"{line[0]} is not to be had here, or refuses")


@contextmanager
def shown(top: Path, *line: str | os.PathLike[str]) -> Iterator[tuple[Path, Path]]:
    """Show a card elsewhere by a command; yield the card and the view."""
    card, view = fill(top / "card"), top / "view"
    view.mkdir()
    for name in ("empty", "upper", "work"):
        (top / name).mkdir()
    run(
        *(
            os.fspath(word).replace("CARD", str(card)).replace("VIEW", str(view)).replace("TOP", str(top))
            for word in line
        )
    )
    try:
        yield card, view
    finally:
        subprocess.run(["umount", "-l", view], check=False)


@contextmanager
def by_ssh(top: Path) -> Iterator[tuple[Path, Path]]:
    shared = Shared(top)
    try:
        yield fill(shared._served), shared.point
    finally:
        shared.close()


@contextmanager
def snapshot(top: Path) -> Iterator[tuple[Path, Path]]:
    with attached_drive(top, "btrfs") as (_, point):
        run("btrfs", "subvolume", "create", point / "card")
        fill(point / "card")
        run("btrfs", "subvolume", "snapshot", point / "card", point / "view")
        yield point / "card", point / "view"


@contextmanager
def image_beside(top: Path) -> Iterator[tuple[Path, Path]]:
    with attached_drive(top, "ext4") as (_, point):
        yield fill(top / "card"), fill(point)


@contextmanager
def partitions(top: Path) -> Iterator[tuple[Path, Path]]:
    need("losetup", "sfdisk", "mkfs.ext4", "mount", "umount")
    image, points = top / "disk", [top / "one", top / "two"]
    run("truncate", "-s", "64M", image)
    run("sh", "-c", f"printf 'size=30M\\nsize=30M\\n' | sfdisk -q '{image}'")
    found = subprocess.run(["losetup", "-f", "-P", "--show", image], capture_output=True, text=True, check=False)
    device = found.stdout.strip()
    with ExitStack() as after:
        after.callback(subprocess.run, ["losetup", "-d", device], capture_output=True, check=False)
        for number, point in enumerate(points, start=1):
            point.mkdir()
            run("mkfs.ext4", "-q", f"{device}p{number}")
            if not device or not mounted(f"{device}p{number}", str(point)):
                pytest.skip("this machine has no partitions on loop devices")
            after.callback(subprocess.run, ["umount", "-l", point], check=False)
        yield fill(points[0]), fill(points[1])


@contextmanager
def in_memory(top: Path) -> Iterator[tuple[Path, Path]]:
    card, point = fill(top / "card"), top / "memory"
    point.mkdir()
    if not mounted("-t", "tmpfs", "none", str(point)):
        pytest.skip("no mounts can be made here")
    try:
        yield card, fill(point)
    finally:
        subprocess.run(["umount", point], check=False)


@contextmanager
def other_case(top: Path) -> Iterator[tuple[Path, Path]]:
    image, point = top / "image", top / "drive"
    point.mkdir()
    run("truncate", "-s", "64M", image)
    run("mkntfs", "-F", "-Q", "-q", image)
    run("lowntfs-3g", "-o", "ignore_case", image, point)
    try:
        fill(point / "Card")
        if not (point / "CARD").exists():
            pytest.skip("no file system here takes names of any case for one")
        yield point / "Card", point / "CARD"
    finally:
        subprocess.run(["umount", "-l", point], check=False)


OVERLAY = "lowerdir=CARD,upperdir=TOP/upper,workdir=TOP/work"
VIEWS: dict[str, Callable[[Path], object]] = {
    "a pool": lambda top: shown(top, "mergerfs", "CARD:TOP/empty", "VIEW"),
    "an overlay": lambda top: shown(top, "mount", "-t", "overlay", "none", "-o", OVERLAY, "VIEW"),
    "an overlay with its own numbers": lambda top: shown(
        top, "mount", "-t", "overlay", "none", "-o", f"{OVERLAY},xino=on", "VIEW"
    ),
    "a view of the folder": lambda top: shown(top, "bindfs", "CARD", "VIEW"),
    "a bind mount": lambda top: shown(top, "mount", "--bind", "CARD", "VIEW"),
    "by SSH from this machine": by_ssh,
    "a snapshot": snapshot,
    "an image on the same disk": image_beside,
    "two partitions of one disk": partitions,
    "memory": in_memory,
    "a name in other letters": other_case,
}


@pytest.mark.parametrize("view", VIEWS)
def test_a_view_is_no_copy_on_another_disk_and_a_copy_on_another_disk_is(desk: Desk, far: Path, monkeypatch, view: str):
    say_disks(monkeypatch, {far: "far"})
    top = desk.top / "views"
    top.mkdir()
    with VIEWS[view](top) as (card, seen):
        desk.run("scan", seen, "--read-all", "--hidden")
        answer = desk.run("coverage", card, "--json")
        assert (answer.status, answer.json["safe"], answer.json["covered"]) == (1, False, 0), answer.out
        assert all("disk" in each["reason"] for each in answer.json["missing"]) or view == "a name in other letters"
        overview = desk.ask("coverage", "--at-least", "2")
        assert (overview["disks"]["several disks"]["contents"], overview["listed"]) == (0, [])
        desk.run("scan", card, "--hidden")
        if answer.json["disk"] is None:  # a program shows the card: without a word nothing is another disk
            assert desk.run("places", card, "--disk", "card").status == 0
        assert desk.ask("coverage")["disks"]["several disks"]["contents"] == 0
        fill(far / "copy")
        desk.ask("scan", far / "copy", "--read-all")
        answer = desk.run("coverage", card, "--json")
        assert (answer.status, answer.json["safe"], answer.json["disks"]) == (0, True, ["far"]), answer.out
        assert desk.ask("coverage")["disks"]["several disks"]["contents"] == len(FILES)
        # One that is called so by the user is what the user says, but for what is no disk, or one for sure.
        shutil.rmtree(far / "copy")
        desk.run("places", seen, "--disk", "a pool of mine")
        said = desk.run("coverage", card, "--json")
        is_believed = view in ("a pool", "by SSH from this machine", "an overlay with its own numbers")
        assert said.json["covered"] in ((0, len(FILES)) if is_believed else (0,))


@pytest.mark.usefixtures("known_volume")
@pytest.mark.parametrize("kind", KINDS)
def test_a_server_may_show_the_very_folder(tmp_path: Path, kind: str, monkeypatch: pytest.MonkeyPatch):
    """Said to be separate, and on a disk of its own: a picture that is written there shows what is true."""
    desk = Desk(tmp_path)
    with served(kind, tmp_path / "served", tmp_path / "home") as server:
        fill(server.folder)
        for folder in (server.folder, *server.folder.rglob("*/")):
            folder.chmod(0o777)
        other = fill(tmp_path / "card")
        monkeypatch.setenv("HOME", str(tmp_path / "home"))
        desk.run("scan", desk.place)
        assert desk.run("scan", server.url, "--read-all", "--unencrypted").status == 0
        labels = [place["label"] for place in desk.ask("places")["places"]]
        desk.run("places", "--separate", *labels)
        before = sorted(server.folder.rglob("*"))
        for disk, folder, safe in ((None, other, False), ("the server's", server.folder, False), ("x", other, True)):
            if disk:
                label = next(each["label"] for each in desk.ask("places")["places"] if "//" in each["path"])
                desk.run("places", label, "--disk", disk)
            answer = desk.run("coverage", folder, "--json")
            assert (answer.status, answer.json["safe"]) == (int(not safe), safe), (disk, answer.out)
            if disk and not safe:
                assert "shows this very folder" in answer.json["missing"][0]["reason"]
            assert sorted(server.folder.rglob("*")) == before
        assert answer.json["on_servers"] == len(FILES)
        assert "proves nothing" in desk.run("coverage", other).out


@pytest.mark.more
@pytest.mark.parametrize("is_view", [True, False])
def test_no_request_of_a_probe_that_fails_makes_a_view_safe_or_leaves_a_picture(tmp_path: Path, is_view: bool):
    desk = Desk(tmp_path)
    with served("cloud", tmp_path / "served", tmp_path / "home") as server:
        for folder in (fill(server.folder), *server.folder.rglob("*/")):
            folder.chmod(0o777)
        card = server.folder if is_view else fill(tmp_path / "card")
        desk.run("scan", desk.place)
        desk.run("scan", server.url, "--read-all")
        labels = [place["label"] for place in desk.ask("places")["places"]]
        desk.run("places", "--separate", *labels)
        desk.run("places", labels[-1], "--disk", "the server's")
        before = sorted(server.folder.rglob("*"))
        line = ("coverage", card, "--json")
        with watched(lambda _, __, do: do()) as made:
            assert desk.run(*line).status == int(is_view)
        assert made.count("write_new") == made.count("remove") == 2, made
        for number, name in enumerate(made, start=1):
            for word in Faults.WORDS if name in CHANGING else Faults.WORDS[number % 8 :: 8]:
                faults = Faults(number, word)
                with watched(faults.visit):
                    answer = desk.run(*line)
                where = (number, name, word, answer)
                assert answer.status in ((1,) if is_view else (0, 1)), where
                assert not answer.err, where
                faults.arrive()
                assert desk.run(*line).status == int(is_view), where
                assert sorted(server.folder.rglob("*")) == before, where
