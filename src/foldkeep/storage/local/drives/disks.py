"""Which disks the bytes of a file are on, by what the system's own files say.

On Linux: the table of mounts (proc_pid_mountinfo(5)), and below ``/sys`` the block devices, down to the physical ones
(Documentation/ABI/stable/sysfs-block of the kernel): a partition to its disk, what is mapped, striped, mirrored or
encrypted to what is below it, a loop device to the volume of its image. What has no disk that they name is not known,
and so is what a program shows behind a mount.
"""

import os
import re
import sys
from contextlib import suppress
from typing import NamedTuple

from foldkeep.model import visible
from foldkeep.model.disks import MEMORY, NETWORK, Disks

_IN_MEMORY = frozenset({"tmpfs", "ramfs", "hugetlbfs", "devtmpfs"})
_SHARES = frozenset({"nfs", "nfs4", "cifs", "smb3", "smbfs"})
_OF_A_HOST = frozenset({"9p", "virtiofs", "vboxsf", "vmhgfs", "prl_fs"})
_MEMORY_DEVICES = re.compile(r"(zram|ram)\d+$")
_FAR_DEVICES = re.compile(r"(nbd|rbd|drbd)\d+$")
_FAR_PATHS = re.compile(r"/(session\d+|rport-[^/]+)/")  # of iSCSI and of storage networks
_NUMBERS = ("device/wwid", "wwid", "device/cid", "serial", "device/serial")
_DEEPEST = 16
_ESCAPED = re.compile(rb"\\([0-7]{3})")

NOT_LISTED = "the system does not list what is mounted there"


class SystemFiles(NamedTuple):
    """Where the system's own files lie; elsewhere where they were recorded."""

    sys: str = "/sys"
    mounts: str = "/proc/self/mountinfo"
    devices: str = "/run/udev/data"


class Mount(NamedTuple):
    """A line of the table of mounts."""

    at: bytes
    device: int
    kind: str
    source: str
    options: str


class DiskFinder:
    """Finds the disks under files. What is mounted is looked at once, when it is made."""

    def __init__(self, files: SystemFiles | None = None) -> None:
        self._files = files or SystemFiles()
        self._mounts = _mounts(self._files.mounts)
        self._known: dict[tuple[int, bytes], Disks] = {}

    def disks_of(self, path: bytes, device: int) -> Disks:
        """Return the disks under a file or folder; `device` is its ``st_dev``."""
        key = (device, os.path.dirname(path))
        if key not in self._known:
            self._known[key] = self._find(path, device, 0)
        return self._known[key]

    @staticmethod
    def of_server(host: str) -> Disks:
        """Return what is known of the disks of a server: that they are not this computer's, if its address is not.

        Two servers may be one computer, so that what lies on both is not known to be on two disks.
        """
        import ipaddress
        import socket

        import psutil

        try:
            found = {str(each[4][0]) for each in socket.getaddrinfo(host, None, type=socket.SOCK_STREAM)}
        except (OSError, UnicodeError):
            return Disks(why=f"the server {visible(host)} is not known by an address")
        plain = {address.partition("%")[0] for address in found}
        own = {each.address.partition("%")[0] for card in psutil.net_if_addrs().values() for each in card}
        if plain & own or any(ipaddress.ip_address(address).is_loopback for address in plain):
            return Disks(why="its server is this computer, or is reached through it")
        keys = frozenset({NETWORK, *(f"server:{address}" for address in plain)})
        return Disks(keys, name=f"the server {visible(host)}")

    def _find(self, path: bytes, device: int, depth: int) -> Disks:
        if sys.platform == "darwin":
            from .disks_of_macos import disks_of_volume

            return disks_of_volume(path)
        mount = self._mount_of(path, device)
        if mount is None:
            return self._block(device, depth) if os.major(device) else Disks(why=NOT_LISTED)
        if mount.kind in _IN_MEMORY:
            return Disks(frozenset({MEMORY}), name="memory")
        if mount.kind in _SHARES:
            return _server(mount)
        if mount.kind in _OF_A_HOST:
            return Disks(why="it is a folder of the computer that this one runs in")
        if mount.kind == "btrfs":
            return self._btrfs(mount, depth)
        if mount.kind.startswith("fuse") and mount.kind != "fuseblk":
            return _shown(mount)
        return self._of_source(mount, depth)

    def _mount_of(self, path: bytes, device: int) -> Mount | None:
        """Return the mount that a file is seen through; None if none of the table can be that."""
        above = [mount for mount in self._mounts if (path + b"/").startswith(mount.at.rstrip(b"/") + b"/")]
        # The table is in the order of mounting: the last at a path is on top.
        found = max(enumerate(above), key=lambda each: (len(each[1].at), each[0]), default=(0, None))[1]
        # Subvolumes of btrfs have devices of their own, and an overlay may give files those of the volumes below.
        is_it = found is not None and (found.device == device or found.kind in ("btrfs", "overlay"))
        return found if is_it else None

    def _of_source(self, mount: Mount, depth: int) -> Disks:
        """Return the disks of a file system that lies on block devices, its journal's and others among them."""
        devices = {mount.device} if os.major(mount.device) else set()
        words = [*mount.source.split(":"), *re.split("[,=]", mount.options)]
        with suppress(OSError):
            devices |= {os.stat(word).st_rdev for word in words if word.startswith("/dev/")}
        return self._all(devices - {0}, depth) if devices else Disks(why=f"{_told(mount)} names no disk")

    def _btrfs(self, mount: Mount, depth: int) -> Disks:
        """Return the disks of all devices of a btrfs: the mount names one of them."""
        with suppress(OSError):
            wanted = os.stat(mount.source).st_rdev
            top = f"{self._files.sys}/fs/btrfs"
            for name in os.listdir(top):
                with suppress(OSError):
                    below = f"{top}/{name}/devices"
                    devices = {self._number(f"{below}/{each}") for each in os.listdir(below)}
                    if wanted in devices:
                        return self._all(devices, depth)
        return Disks(why="the system does not tell which disks this btrfs is on")

    def _all(self, devices: set[int], depth: int) -> Disks:
        found = [self._block(device, depth + 1) for device in sorted(devices)]
        why = next((each.why for each in found if each.why), "")
        names = " and ".join(dict.fromkeys(each.name for each in found))
        return Disks(frozenset() if why else frozenset().union(*(each.keys for each in found)), why, names)

    def _block(self, device: int, depth: int) -> Disks:
        """Return the disks under a block device."""
        path = os.path.realpath(f"{self._files.sys}/dev/block/{os.major(device)}:{os.minor(device)}")
        if depth > _DEEPEST or not os.path.isdir(path):
            return Disks(why=NOT_LISTED)
        if os.path.exists(f"{path}/partition"):
            path = os.path.dirname(path)
        name = os.path.basename(path)
        if _MEMORY_DEVICES.match(name):
            return Disks(frozenset({MEMORY}), name="memory")
        if _FAR_DEVICES.match(name) or _FAR_PATHS.search(os.path.realpath(f"{path}/device")):
            return Disks(why=f"the device {name} is behind a network")
        if os.path.isdir(f"{path}/loop"):
            return self._image(path, depth)
        with suppress(OSError):
            if below := os.listdir(f"{path}/slaves"):
                return self._all({self._number(f"{path}/slaves/{each}") for each in below}, depth)
        if not os.path.exists(f"{path}/device"):
            return Disks(why=f"the system does not tell what the device {name} lies on")
        return self._physical(path, name)

    def _number(self, path: str) -> int:
        major, _, minor = _text(f"{path}/dev").partition(":")
        if not minor.isdigit():
            raise FileNotFoundError(path)
        return os.makedev(int(major), int(minor))

    def _image(self, path: str, depth: int) -> Disks:
        """Return the disks of the volume that the image of a loop device lies on."""
        image = os.fsencode(_text(f"{path}/loop/backing_file"))
        try:
            facts = os.stat(image)
        except OSError:
            return Disks(why=f"the image {visible(image)} behind it cannot be found")
        return self._find(image, facts.st_dev, depth + 1)

    def _physical(self, path: str, name: str) -> Disks:
        device = os.path.realpath(f"{path}/device")
        keys = {f"at:{device}"}
        if os.path.basename(os.path.dirname(device)).startswith("target") and _text(f"{path}/removable") != "1":
            keys.add(f"box:{os.path.dirname(device)}")  # its parts may be one disk; a reader of cards has one in each
        # Parts of one NVMe device have a number each, and the device one of its own.
        places = ("device/serial",) if name.startswith("nvme") else _NUMBERS
        keys |= {f"id:{number}" for place in places if (number := _text(f"{path}/{place}"))}
        known = _text(f"{self._files.devices}/b{_text(f'{path}/dev')}").split("\n")
        keys |= {f"id:{line.partition('=')[2]}" for line in known if line.startswith("E:ID_SERIAL=")}
        model = _text(f"{path}/device/model") or _text(f"{path}/device/name")
        return Disks(frozenset(keys), name=f"{name}, {visible(model)}" if model else name)


def _text(path: str) -> str:
    """Return what a file of the system says, without what is around it; empty if there is none."""
    try:
        with open(path, "rb") as stream:
            return os.fsdecode(stream.read(65536)).strip(" \n\0")
    except OSError:
        return ""


def _mounts(path: str) -> list[Mount]:
    found = []
    for line in os.fsencode(_text(path)).split(b"\n"):
        before, _, after = line.partition(b" - ")
        fields, rest = before.split(b" "), after.split(b" ")
        if len(fields) < 6 or len(rest) < 2:
            continue
        major, _, minor = fields[2].partition(b":")
        kind, source, options = (os.fsdecode(_plain(each)) for each in (*rest, b"")[:3])
        found.append(Mount(_plain(fields[4]), os.makedev(int(major), int(minor)), kind, source, options))
    return found


def _plain(field: bytes) -> bytes:
    """Return a field of the table of mounts without its escapes."""
    return _ESCAPED.sub(lambda match: bytes([int(match[1], 8)]), field)


def _told(mount: Mount) -> str:
    return f"the {mount.kind} that is mounted at {visible(mount.at)}"


def _shown(mount: Mount) -> Disks:
    """Return what is known of what a program shows behind a mount: a server, if it is one that shows a server."""
    program = mount.kind.partition(".")[2] or mount.source
    if program == "sshfs" and (host := _ssh_host(mount.source)):
        return DiskFinder.of_server(host)
    return Disks(why=f"the program {visible(program)} shows it, and may take it from anywhere")


def _server(mount: Mount) -> Disks:
    address = dict(word.partition("=")[::2] for word in mount.options.split(",")).get("addr", "")
    named = mount.source.removeprefix("//").replace("\\", "/")
    host = named.partition("/" if mount.source.startswith(("//", "\\\\")) else ":/")[0].strip("[]")
    return DiskFinder.of_server(address or host)


def _ssh_host(source: str) -> str:
    """Return the host of a mount by SSH, as SSH itself reads its settings; empty if it goes by way of another."""
    import subprocess

    match = re.match(r"(?:[^@]*@)?(\[[^]]+\]|[^:/]+):", source)
    if not match:
        return ""
    with suppress(OSError, subprocess.SubprocessError):
        line = ["ssh", "-G", "--", match[1].strip("[]")]
        said = subprocess.run(line, capture_output=True, timeout=5, check=True).stdout.decode(errors="replace")
        settings = dict(each.partition(" ")[::2] for each in said.splitlines())
        ways = ("proxycommand", "proxyjump")
        return "" if any(settings.get(way, "none") != "none" for way in ways) else settings.get("hostname", "")
    return ""
