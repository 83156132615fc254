"""Drives with file systems of their own, that can be taken away and come back."""

import contextlib
import os
import shutil
import socket
import subprocess
import time
from collections.abc import Callable
from pathlib import Path

import pytest

from foldkeep.scan import clones
from foldkeep.storage.local.changes import names as changed_names
from foldkeep.storage.local.drives import volumes
from harness.desks import Desk, listing
from harness.tools import need


def mounted(*line: str) -> bool:
    return run("mount", *line)


def forget_drives() -> None:
    """Forget what was found out of devices: in one process of tests, one number is one file system after another."""
    clones._volume_shares.cache_clear()
    volumes._asked.cache_clear()
    changed_names._LINKS_SHOWN.clear()


@contextlib.contextmanager
def attached_drive(folder: Path, kind: str, *options: str):
    """Attach a drive with a file system of its own; yield its device and where it is mounted, or skip the test."""
    need("losetup", "mount", "umount", f"mkfs.{kind}")
    forget_drives()
    image, point = folder / "image", folder / "drive"
    point.mkdir()
    subprocess.run(["truncate", "-s", "400M", image], check=True)
    make = f"mkfs.{kind}"
    line = [make, *options, *([] if kind == "vfat" else ["-q"]), image]
    made = shutil.which(make) and subprocess.run(line, capture_output=True, check=False).returncode == 0
    found = subprocess.run(
        "losetup -f --show image", shell=True, cwd=folder, capture_output=True, text=True, check=False
    )
    device = found.stdout.strip()
    if not made or not device or not mounted(device, str(point)):
        pytest.skip(f"mounting {kind} is refused here, or mkfs.{kind} is not to be had")
    try:
        yield device, point
    finally:
        subprocess.run(["umount", "-l", point], capture_output=True, check=False)
        subprocess.run(["losetup", "-d", device], capture_output=True, check=False)


IMAGE = "300M"


def run(*line: str | os.PathLike[str]) -> bool:
    with contextlib.suppress(FileNotFoundError):
        return subprocess.run(line, capture_output=True, check=False).returncode == 0
    return False


def unmount(point: Path) -> None:
    """Unmount a file system that nobody uses; a FUSE server lets go of a closed file only a moment later."""
    for seconds in (0.1, 0.3, 1, 3):
        if run("umount", point):
            return
        time.sleep(seconds)
    subprocess.run(["umount", point], check=True)


class Drive:
    """A file system in an image on a loop device, that can be taken away and come back."""

    def __init__(self, folder: Path, make: list[str], mount: Callable[[str, Path], bool]) -> None:
        need("losetup", "mount", "umount", make[0])
        forget_drives()
        self.image, self.point = folder / "image", folder / "drive"
        self.point.mkdir()
        subprocess.run(["truncate", "-s", IMAGE, self.image], check=True)
        found = subprocess.run(["losetup", "-f", "--show", self.image], capture_output=True, text=True, check=False)
        self.device = found.stdout.strip()
        self._mount = mount
        if not self.device or not run(*make, self.device) or not mount(self.device, self.point):
            self.close()
            pytest.skip(f"{make[0]} or its mounting is not to be had here")

    def again(self) -> None:
        """Take the drive away and plug it in again."""
        unmount(self.point)
        run("umount", self.point.with_name("below"))
        assert self._mount(self.device, self.point)

    def move(self, to: Path) -> None:
        """Take the drive away and plug it in at another path."""
        unmount(self.point)
        run("umount", self.point.with_name("below"))
        self.point = to
        assert self._mount(self.device, to)

    def close(self) -> None:
        run("umount", "-l", self.point)
        run("umount", "-l", self.point.with_name("below"))
        if self.device:
            run("losetup", "-d", self.device)


def by_kernel(device: str, point: Path) -> bool:
    return mounted(device, str(point))


def over_another(device: str, point: Path) -> bool:
    """Mount an overlay whose upper layer is on the drive."""
    below = point.with_name("below")
    below.mkdir(exist_ok=True)
    if not mounted(device, str(below)):
        return False
    for name in ("lower", "upper", "work"):
        (below / name).mkdir(exist_ok=True)
    options = f"lowerdir={below}/lower,upperdir={below}/upper,workdir={below}/work"
    return mounted("-t", "overlay", "overlay", "-o", options, str(point))


# mkntfs draws the serial number from the clock, so that two made in one second would be told to be one drive.
_MAKE_NTFS = 'mkntfs -F -Q -q "$0" && ntfslabel --new-serial=$(od -An -tx8 -N8 /dev/urandom | tr -d " ") "$0"'

KINDS: dict[str, tuple[list[str], Callable[[str, Path], bool]]] = {
    "ext4": (["mkfs.ext4", "-q"], by_kernel),
    "ext4 of 128": (["mkfs.ext4", "-q", "-I", "128"], by_kernel),
    "xfs": (["mkfs.xfs", "-q"], by_kernel),
    "btrfs": (["mkfs.btrfs", "-q"], by_kernel),
    "exfat": (["mkfs.exfat"], lambda device, point: run("mount.exfat-fuse", device, point)),
    "ntfs": (["sh", "-c", _MAKE_NTFS], lambda device, point: run("ntfs-3g", device, point)),
}


MORE_KINDS = {**KINDS, "overlay": (["mkfs.ext4", "-q"], over_another)}


class Shared:
    """A folder that an SSH server on this machine serves, mounted by sshfs; and what stands for it in the tests."""

    def __init__(self, folder: Path) -> None:
        forget_drives()
        self.point, self._served, self._folder = folder / "drive", folder / "served", folder
        self._server: subprocess.Popen[bytes] | None = None
        for path in (self.point, self._served):
            path.mkdir()
        keys = [folder / "host", folder / "user"]
        sshd = shutil.which("sshd") or "/usr/sbin/sshd"
        tools = shutil.which("sshfs") and os.path.exists(sshd)
        if not tools or not all(run("ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", key) for key in keys):
            pytest.skip("sshfs or sshd is not here")
        with contextlib.closing(socket.socket()) as free:
            free.bind(("127.0.0.1", 0))
            self._port = free.getsockname()[1]
        os.makedirs("/run/sshd", exist_ok=True)
        (folder / "sshd").write_text(
            f"Port {self._port}\nListenAddress 127.0.0.1\nHostKey {keys[0]}\nAuthorizedKeysFile {keys[1]}.pub\n"
            "StrictModes no\nPermitRootLogin yes\nSubsystem sftp internal-sftp\nPidFile none\n"
        )
        self._server = subprocess.Popen([sshd, "-D", "-f", folder / "sshd"], stderr=subprocess.DEVNULL)
        if not self._mounted():
            self.close()
            pytest.skip("this machine lets nobody in by SSH")

    def _mounted(self) -> bool:
        options = (
            f"port={self._port},IdentityFile={self._folder}/user,StrictHostKeyChecking=no,UserKnownHostsFile=/dev/null"
        )
        for _ in range(20):
            if run("sshfs", "-o", options, f"root@127.0.0.1:{self._served}", self.point):
                return True
            time.sleep(0.2)
        return False

    def again(self) -> None:
        unmount(self.point)
        assert self._mounted()

    def move(self, to: Path) -> None:
        unmount(self.point)
        self.point = to
        assert self._mounted()

    def close(self) -> None:
        run("umount", "-l", self.point)
        if self._server:
            self._server.kill()
            self._server.wait()


def desk_on(drive: Drive, tmp_path: Path) -> Desk:
    desk = Desk(tmp_path)
    desk.place.rmdir()
    desk.place = drive.point / "media"
    desk.place.mkdir()
    for number in range(12):
        desk.write(f"day/kite {number}.jpg", b"%d" % number * 9000, 1_750_000_000 + 2 * number)
        desk.write(f"card/DCIM/copy of kite {number}.jpg", b"%d" % number * 9000, 1_750_000_000 + 2 * number)
    desk.write("card/DCIM/copy of kite 3.xmp", b"said of it")
    return desk


def looks(desk: Desk) -> dict:
    """Content and time of every file; modes are not kept by every drive."""
    return {path: (facts[0], facts[2]) for path, facts in listing(desk.place).items()}


@contextlib.contextmanager
def pluggable(folder: Path, point: Path):
    """Mount a folder as a drive of its own; yield what unplugs it and what plugs it in again."""
    point.mkdir(exist_ok=True)
    folder.mkdir(exist_ok=True)
    if not mounted("-t", "tmpfs", "tmpfs", str(folder)) or not mounted("--bind", str(folder), str(point)):
        pytest.skip("mounting is refused here")

    def unplug() -> None:
        subprocess.run(["umount", "-l", point], check=True)

    def plug() -> None:
        assert mounted("--bind", str(folder), str(point))

    try:
        yield unplug, plug
    finally:
        for each in (point, folder):
            subprocess.run(["umount", "-l", each], capture_output=True, check=False)
