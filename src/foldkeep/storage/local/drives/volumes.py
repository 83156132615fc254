"""Volumes: which file system a folder lies on, and what tells it from others when it comes back."""

import os
import sys
import time
from contextlib import suppress
from functools import cache

from foldkeep.model import visible
from foldkeep.model.volumes import VolumeFacts

_UUIDS = "/dev/disk/by-uuid"
# File systems that are reached through a name that stays: a server's share, a folder of the host.
_NAMED = frozenset({"nfs", "nfs4", "cifs", "smb3", "smbfs", "afpfs", "9p", "virtiofs", "fuse.sshfs"})
# They number files anew whenever they are mounted, since nothing on the disk has a number.
_WITHOUT_INODES = frozenset(
    {"vfat", "msdos", "exfat", "fat", "msdosfs", "fuse.vfat", "fuse.exfat", "fuse.fusefat", "fuse.sshfs"}
)

_NOT_LISTED = ""
_OF_ALL_NAMES = frozenset({"ext2", "ext3", "ext4", "xfs", "btrfs", "f2fs", "tmpfs", "overlay"})
_WITH_CHANGE_TIMES = frozenset(
    {"ext2", "ext3", "ext4", "xfs", "btrfs", "f2fs", "zfs", "bcachefs", "jfs", "tmpfs", "overlay", "apfs", "hfs", "ufs"}
)
_WRITTEN_ONCE = frozenset({"iso9660", "udf", "squashfs", "erofs", "cramfs", "fuse.fuseiso", "fuse.squashfuse"})
_OF_32_BITS = frozenset({"vfat", "msdos", "fat", "msdosfs", "fuse.vfat", "fuse.fusefat"})

ANSWER_SECONDS = 30.0  # a disk behind it may have to start turning
"""How long a share or a program behind a mount may take to answer."""

_ASK_AGAIN_SECONDS = 10.0
# What is known of a folder may be remembered here; its free space and what lies in it must be asked for.
_LOOK = "import os, sys; os.statvfs(sys.argv[1]); next(os.scandir(sys.argv[1]), None)"

_answered: dict[str, tuple[float, bool]] = {}
"""When each mount was asked last, and whether it answered."""


def volume_of(folder: bytes, device: int) -> VolumeFacts:
    """Return the facts of the volume of a folder; `device` is the folder's ``st_dev``."""
    return _facts(*_mount_of(folder, device), device)


def mounted_volumes() -> list[tuple[int, VolumeFacts]]:
    """Return the volumes that are mounted now and may be somebody's drive, each with its device number."""
    import psutil

    found = []
    for part in psutil.disk_partitions(all=True):
        is_program = part.fstype.startswith("fuse") or part.fstype == "overlay"
        if part.device.startswith("/dev/") or part.fstype in _NAMED or is_program:
            if not answers(os.fsencode(part.mountpoint)):
                continue
            with suppress(OSError):
                device = os.stat(part.mountpoint).st_dev
                found.append((device, _facts(part.mountpoint, part.device, part.fstype, device)))
    return found


def _facts(mount: str, source: str, kind: str, device: int) -> VolumeFacts:
    at = os.fsencode(mount)
    name = f"{visible(source)} at {visible(mount)}" if source else visible(mount)
    uuid = _uuid_of(source) if source.startswith("/dev/") else None
    if uuid:
        return VolumeFacts(f"uuid:{uuid}", name, at)
    if kind in _NAMED:
        return VolumeFacts(f"share:{kind}:{source}", name, at)
    return VolumeFacts(f"device:{device}", name, at)


def _uuid_of(source: str) -> str | None:
    listed = _uuids().get(os.path.realpath(source))
    return listed if listed or os.path.isdir(_UUIDS) else _asked(source)[0]


def is_local(folder: bytes, device: int) -> bool:
    """Tell whether a folder lies on a file system of this computer's own, whose locks no other computer can pass by.

    Not so are shares, what a program serves behind a mount (FUSE), and what the system lists no mount of, unless it is
    on a device of this computer.
    """
    kind = _mount_of(folder, device)[2]
    return kind not in _NAMED and not kind.startswith("fuse") and (bool(kind) or os.major(device) > 0)


def may_fall_silent(folder: bytes) -> bool:
    """Tell whether a folder lies behind a network, or a program that is not there for a drive of this computer."""
    return bool(_silent_mount(folder))


def _silent_mount(folder: bytes) -> str:
    """Return where that is mounted which may fall silent; empty where nothing does."""
    mount, source, kind = _mount_above(folder)
    return mount if kind in _NAMED or (kind.startswith("fuse") and not source.startswith("/dev/")) else ""


def answers(folder: bytes) -> bool:
    """Tell whether the share or program behind a folder answers within some seconds; a drive of this computer does.

    Another process asks, since whoever asks a server that went away may wait for ever.
    """
    mount = _silent_mount(folder)
    if not mount:
        return True
    when, known = _answered.get(mount, (0.0, False))
    if not when or time.monotonic() - when > _ASK_AGAIN_SECONDS:
        known = _looked_at(os.fsencode(mount))
        _answered[mount] = (time.monotonic(), known)
    return known


def _looked_at(path: bytes) -> bool:
    import subprocess

    try:
        asked = subprocess.Popen([sys.executable, "-I", "-S", "-c", _LOOK, path], stderr=subprocess.DEVNULL)
    except OSError:
        return True  # there is nothing to ask with
    try:
        asked.wait(ANSWER_SECONDS)
    except subprocess.TimeoutExpired:
        asked.kill()
        return False
    finally:
        with suppress(subprocess.TimeoutExpired):
            asked.wait(1)
    return True


def has_one_device(folder: bytes, device: int) -> bool:
    """Tell whether the volume of a folder gives its files the device of their folders; an overlay may not.

    Of a volume that the system lists no mount of (a chroot, some containers), nothing is known: the careful answer is
    given, here and below.
    """
    return _mount_of(folder, device)[2] not in ("overlay", _NOT_LISTED)


def _mount_above(folder: bytes) -> tuple[str, str, str]:
    """Return as `_mount_of` does what the table of mounts says, without touching a disk."""
    import psutil

    path = os.fsdecode(os.path.abspath(folder)) + "/"
    above = [part for part in psutil.disk_partitions(all=True) if path.startswith(part.mountpoint.rstrip("/") + "/")]
    found = max(enumerate(above), key=lambda each: (len(each[1].mountpoint), each[0]), default=None)
    return (found[1].mountpoint, found[1].device, found[1].fstype) if found else ("/", "", "")


def _mount_of(folder: bytes, device: int) -> tuple[str, str, str]:
    """Return where the volume of a folder is mounted, from what, and the type of its file system."""
    import psutil

    path = os.fsdecode(folder)
    best = ("/", "", "")
    for part in psutil.disk_partitions(all=True):
        below = part.mountpoint.rstrip("/") + "/"
        if (path + "/").startswith(below) and len(part.mountpoint) >= len(best[0]):
            try:
                if os.stat(part.mountpoint).st_dev == device:
                    best = (part.mountpoint, part.device, part.fstype)
            except OSError:
                continue
    mount, source, kind = best
    return mount, source, f"fuse.{_asked(source)[1]}" if kind == "fuseblk" else kind


def keeps_inodes(folder: bytes, device: int) -> bool:
    """Tell whether a file system is of a kind whose inode numbers last from one mount to the next."""
    kind = _mount_of(folder, device)[2]
    return kind not in _WITHOUT_INODES and kind != _NOT_LISTED


def largest_file(folder: bytes, device: int) -> int:
    """Return how many bytes a file may have on the volume of a folder; 0 if that is not known to be limited."""
    return 2**32 - 1 if _mount_of(folder, device)[2] in _OF_32_BITS else 0


def takes_all_names(folder: bytes, device: int) -> bool:
    """Tell whether a file system is of a kind that takes any name of 255 bytes, and files of any size."""
    return _mount_of(folder, device)[2] in _OF_ALL_NAMES


def keeps_change_times(folder: bytes, device: int) -> bool:
    """Tell whether a file system is of a kind that notes the time of every change, which no program can set."""
    return _mount_of(folder, device)[2] in _WITH_CHANGE_TIMES


def keeps_local_time(folder: bytes, device: int) -> bool:
    """Tell whether a file system is of a kind that keeps times as a clock on the wall shows them."""
    return _mount_of(folder, device)[2] in _OF_32_BITS


def is_read_only(folder: bytes) -> bool:
    """Tell whether nothing can be written on the volume of a folder, as it is mounted or ever; OSError if unknown."""
    if os.statvfs(folder).f_flag & os.ST_RDONLY:
        return True
    return _mount_of(folder, os.stat(folder).st_dev)[2] in _WRITTEN_ONCE


@cache
def _asked(source: str) -> tuple[str | None, str]:
    """Return UUID and type of a block device as the system's own tools tell them, where no list of them is kept."""
    if sys.platform == "darwin":
        from xml.parsers.expat import ExpatError

        with suppress(ValueError, AttributeError, ExpatError):  # no list of properties, or none of words
            import plistlib

            told = plistlib.loads(_answer("diskutil", "info", "-plist", source))
            return told.get("VolumeUUID"), told.get("FilesystemType", "")
        return None, ""
    probed = _answer("blkid", "-p", "-o", "export", source)  # which only root may do
    known = probed or _answer("lsblk", "-n", "-d", "-P", "-o", "UUID,FSTYPE", source).replace(b" ", b"\n")
    pairs = dict(line.partition("=")[::2] for line in known.decode(errors="replace").splitlines())
    facts = {name: value.strip('"') for name, value in pairs.items()}
    return facts.get("UUID") or None, facts.get("TYPE") or facts.get("FSTYPE") or ""


def _answer(*line: str) -> bytes:
    """Return what a tool of the system answers; nothing where it is not there or fails."""
    import subprocess

    with suppress(OSError, subprocess.SubprocessError):
        return subprocess.run(line, capture_output=True, timeout=5, check=True).stdout
    return b""


@cache
def _uuids() -> dict[str, str]:
    """Return the UUID of each block device that the system knows one for."""
    try:
        names = os.listdir(_UUIDS)
    except OSError:
        return {}
    return {os.path.realpath(os.path.join(_UUIDS, name)): name for name in names}
