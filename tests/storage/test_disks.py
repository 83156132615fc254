"""Which disk is under a volume: by recorded files of systems that this machine is not, and by those of this one.

This machine has one disk and no device mapper, md, NFS or SMB: the table below was made by hand, by the kernel's own
description of these files (sysfs-block, proc_pid_mountinfo(5)); only loop devices, FUSE, overlays, tmpfs and btrfs are
looked at for real, here and in `test_views`.
"""

import os
from collections.abc import Iterable
from pathlib import Path
from typing import Any

import pytest

from foldkeep.model.disks import NETWORK, Disks, count_apart, count_most, why_not_apart
from foldkeep.storage.local.drives.disks import NOT_LISTED, DiskFinder, SystemFiles
from foldkeep.storage.local.drives.disks_of_macos import disks_of_volume
from harness.drives import attached_drive

pytestmark = pytest.mark.on_disk


class Recorded:
    """A system that is somewhere else: block devices, and what is mounted where."""

    def __init__(self, top: Path) -> None:
        self.files = SystemFiles(str(top / "sys"), str(top / "mounts"), str(top / "udev"))
        self.top, self.lines = top / "sys", ["20 1 0:20 / /sys rw - sysfs sysfs rw"]
        (top / "udev").mkdir(parents=True)

    def block(self, number: str, at: str, below: Iterable[str] = (), **files: str) -> None:
        """Add a block device: its number, its path below /sys/devices, the devices under it, and its files."""
        path = self.top / "devices" / at
        path.mkdir(parents=True, exist_ok=True)
        (path / "dev").write_text(f"{number}\n")
        link = self.top / "dev/block" / number
        link.parent.mkdir(parents=True, exist_ok=True)
        link.symlink_to(path)
        for each in below:
            (path / "slaves").mkdir(exist_ok=True)
            (path / "slaves" / each.replace(":", "-")).symlink_to((self.top / "dev/block" / each).resolve())
        for name, text in files.items():
            file = path / name.replace("__", "/")
            file.parent.mkdir(parents=True, exist_ok=True)
            file.write_text(f"{text}\n")

    def scsi(self, number: str, disk: str, at: str, **files: str) -> None:
        """Add a disk of a SCSI host: of SATA, SAS or USB."""
        device = self.top / "devices" / at
        (device / "block" / disk).mkdir(parents=True)
        (device / "block" / disk / "device").symlink_to(device)
        self.block(number, f"{at}/block/{disk}", **files)

    def mounted(self, number: str, at: str, kind: str = "ext4", source: str = "/dev/x", options: str = "rw") -> None:
        self.lines.append(f"{20 + len(self.lines)} 20 {number} / {at} rw,relatime shared:1 - {kind} {source} {options}")

    def disks(self, path: str, number: str) -> Disks:
        Path(self.files.mounts).write_text("\n".join(self.lines) + "\n")
        major, minor = map(int, number.split(":"))
        return DiskFinder(self.files).disks_of(path.encode(), os.makedev(major, minor))


SATA = "pci0/ata1/host0/target0:0:0/0:0:0:0"
USB = "pci0/usb1/1-1/host6/target6:0:0/6:0:0:0"


@pytest.fixture
def system(tmp_path: Path) -> Recorded:
    """A computer with an internal disk of two partitions, a USB disk, and a share of another computer."""
    found = Recorded(tmp_path / "recorded")
    found.scsi("8:0", "sda", SATA, removable="0", device__wwid="t10.ATA internal", device__model="Spinner")
    found.block("8:1", f"{SATA}/block/sda/sda1", partition="1")
    found.block("8:2", f"{SATA}/block/sda/sda2", partition="2")
    found.scsi("8:16", "sdb", USB, removable="0", device__model="Shelf drive")
    found.block("8:17", f"{USB}/block/sdb/sdb1", partition="1")
    found.mounted("8:1", "/")
    found.mounted("8:2", "/home")
    found.mounted("8:17", "/media/shelf", "fuseblk", "/dev/sdb1")
    found.mounted("0:50", "/mnt/nas", "nfs4", "nas:/export", "rw,vers=4.2,addr=192.0.2.7")
    return found


def apart(system: Recorded, *seen: tuple[str, str]) -> bool:
    one, other = (system.disks(*each) for each in seen)
    assert (why_not_apart(one, other) == "") == (why_not_apart(other, one) == "")
    return why_not_apart(one, other) == ""


ROOT, HOME, SHELF, NAS = ("/photos", "8:1"), ("/home/photos", "8:2"), ("/media/shelf/x", "8:17"), ("/mnt/nas/x", "0:50")


def test_an_internal_disk_a_usb_disk_and_a_share_need_no_word(system: Recorded):
    for one in (ROOT, SHELF, NAS):
        for other in (ROOT, SHELF, NAS):
            assert apart(system, one, other) == (one != other)
    assert not apart(system, ROOT, HOME)
    assert [system.disks(*each).name for each in (HOME, SHELF)] == ["sda, Spinner", "sdb, Shelf drive"]


def mapped(system: Recorded) -> None:
    """An encrypted container in a logical volume on the USB disk."""
    system.block("253:0", "virtual/block/dm-0", ["8:17"], dm__name="lv")
    system.block("253:1", "virtual/block/dm-1", ["253:0"], dm__name="crypt")
    system.mounted("253:1", "/view")


def mirrored(system: Recorded) -> None:
    system.block("9:0", "virtual/block/md0", ["8:1", "8:17"], md__level="raid1")
    system.mounted("9:0", "/view")


def journaled(system: Recorded) -> None:
    """Log and data on two disks: on either."""
    system.scsi("8:32", "sdc", "pci0/ata2/host1/target1:0:0/1:0:0:0", removable="0")
    system.block("253:0", "virtual/block/dm-0", ["8:32", "8:16"])
    system.mounted("253:0", "/view", "xfs")


def second_volume_of_a_box(system: Recorded) -> None:
    """Another unit of the same USB device: two disks, or one that is parted."""
    system.scsi("8:48", "sdd", "pci0/usb1/1-1/host6/target6:0:0/6:0:0:1", removable="0")
    system.mounted("8:48", "/view")


def same_number(system: Recorded) -> None:
    """Another way to one disk."""
    system.scsi("8:48", "sdd", "pci0/ata2/host1/target1:0:0/1:0:0:0", removable="0", device__wwid="t10.ATA internal")
    system.mounted("8:48", "/view")


SAME = {
    "container on the USB disk": (mapped, "253:1", SHELF),
    "a mirror with a part on it": (mirrored, "9:0", SHELF),
    "a mirror with a part on the inner disk": (mirrored, "9:0", HOME),
    "one of the disks of a span": (journaled, "253:0", SHELF),
    "another unit of one box": (second_volume_of_a_box, "8:48", SHELF),
    "another way to one disk": (same_number, "8:48", ROOT),
}


@pytest.mark.parametrize("case", SAME)
def test_what_shares_a_device_is_one_disk(system: Recorded, case: str):
    make, number, other = SAME[case]
    make(system)
    assert not apart(system, ("/view/x", number), other)
    assert apart(system, ("/view/x", number), NAS)


def test_cards_in_two_slots_of_a_reader_are_two(system: Recorded):
    for unit, number, name in ((0, "8:64", "sde"), (1, "8:80", "sdf")):
        system.scsi(number, name, f"pci0/usb1/1-2/host7/target7:0:0/7:0:0:{unit}", removable="1")
        system.mounted(number, f"/media/{name}")
    assert apart(system, ("/media/sde/x", "8:64"), ("/media/sdf/x", "8:80"))


UNKNOWN: dict[str, Any] = {
    "a pool of folders": ("0:60", {"kind": "fuse.mergerfs", "source": "a:b"}),
    "an overlay": ("0:60", {"kind": "overlay", "source": "overlay"}),
    "a view of a folder": ("0:60", {"kind": "fuse.bindfs", "source": "/home"}),
    "a program that names a disk of another": ("0:60", {"kind": "fuse.rclone", "source": "/dev/sdb1"}),
    "a folder of the host": ("0:60", {"kind": "virtiofs", "source": "media"}),
    "a share of this computer": ("0:60", {"kind": "nfs4", "source": "me:/", "options": "rw,addr=127.0.0.1"}),
    "a share of this computer by SMB": ("0:60", {"kind": "cifs", "source": "//me/x", "options": "rw,addr=127.0.0.1"}),
    "a server without an address": ("0:60", {"kind": "cifs", "source": "//no.such.invalid/x"}),
    "a pool of ZFS": ("0:60", {"kind": "zfs", "source": "tank/photos"}),
    "a device behind a network": ("43:0", {}),
    "a mapped device of nothing": ("253:9", {}),
    "a device that sysfs does not have": ("259:3", {}),
    "an image that is gone": ("7:1", {}),
}


@pytest.mark.parametrize("case", UNKNOWN)
def test_what_has_no_disk_that_can_be_named_is_not_known(system: Recorded, case: str):
    number, mount = UNKNOWN[case]
    system.block("43:0", "virtual/block/nbd0")
    system.block("253:9", "virtual/block/dm-9")
    system.block("7:1", "virtual/block/loop1", loop__backing_file="/no/such/image (deleted)")
    system.mounted(number, "/view", **mount)
    found = system.disks("/view/x", number)
    assert (bool(found.why), found.keys) == (True, frozenset())
    for other in (ROOT, SHELF, NAS):
        assert not apart(system, ("/view/x", number), other)
    said = found.named("pool")
    assert why_not_apart(said, system.disks(*ROOT)) == why_not_apart(system.disks(*ROOT), said) == ""
    assert why_not_apart(said, found.named("pool"))


@pytest.mark.parametrize("number", ["0:24", "252:0"])
def test_memory_is_no_disk_whatever_is_said(system: Recorded, number: str):
    system.block("252:0", "virtual/block/zram0")
    system.mounted(number, "/view", "tmpfs" if number == "0:24" else "ext4")
    memory = system.disks("/view/x", number)
    assert why_not_apart(system.disks(*ROOT), memory.named("a disk"))
    assert why_not_apart(memory, system.disks(*ROOT)) == ""  # a card may be there, and its copies on a disk


def test_a_mount_that_the_table_does_not_have(system: Recorded):
    """A chroot, some containers: the device may tell, the path does not."""
    system.lines = [line for line in system.lines if " / rw" not in line.partition(" / ")[2]]
    assert system.disks("/photos", "8:1").keys == system.disks("/home/photos", "8:2").keys
    assert system.disks("/photos", "0:77").why == NOT_LISTED
    # The mount that is nearest by its path is another one.
    assert system.disks("/home/photos", "0:77").why == NOT_LISTED


def test_two_shares_may_be_one_computer_and_one_share_is_one_by_any_protocol(system: Recorded):
    system.mounted("0:61", "/mnt/smb", "cifs", "//nas/photos", "rw,addr=192.0.2.7")
    system.mounted("0:62", "/mnt/other", "cifs", "//shelf/photos", "rw,addr=192.0.2.8")
    assert not apart(system, NAS, ("/mnt/smb/x", "0:61"))
    assert not apart(system, NAS, ("/mnt/other/x", "0:62"))
    nas, other = system.disks(*NAS), system.disks("/mnt/other/x", "0:62")
    assert (count_apart([nas, other]), count_most([nas, other])) == (1, 2)
    assert (nas.keys & other.keys, why_not_apart(nas.named("nas"), other.named("box"))) == ({NETWORK}, "")


def test_what_is_remembered_of_a_drive_that_is_away_is_what_it_has_of_its_own(system: Recorded):
    inner, shelf = system.disks(*ROOT).remembered(), system.disks(*SHELF).remembered()
    assert (inner.keys, shelf.keys) == ({"id:t10.ATA internal"}, frozenset())
    assert why_not_apart(system.disks(*HOME), inner) != ""
    assert "away" in why_not_apart(system.disks(*HOME), shelf)
    for disks in (inner, shelf, system.disks(*NAS)):
        assert Disks.from_known(disks.known()) == disks
    assert Disks.from_known("").why


def test_loop_devices_lie_where_their_images_do(tmp_path: Path):
    with attached_drive(tmp_path, "ext4") as (_, point):
        finder = DiskFinder()
        here, drive = ((os.fsencode(path), os.stat(path).st_dev) for path in (tmp_path, point))
        assert here[1] != drive[1]
        assert finder.disks_of(*here) == finder.disks_of(*drive)


INTERNAL = {"ParentWholeDisk": "disk3", "APFSPhysicalStores": [{"APFSPhysicalStore": "disk0s2"}]}
STORE = {"ParentWholeDisk": "disk0"}
WHOLE = {"ParentWholeDisk": "disk0", "VirtualOrPhysical": "Physical", "DeviceTreePath": "IODeviceTree:/a",
         "MediaName": "inner"}  # fmt: skip
STICK = WHOLE | {"DeviceTreePath": "IODeviceTree:/usb", "MediaName": "stick"}
IMAGE = WHOLE | {"VirtualOrPhysical": "Virtual"}
ON_MACOS = {
    "a volume of a container": ({"/x": INTERNAL, "disk0s2": STORE, "disk0": WHOLE}, "at:IODeviceTree:/a"),
    "a stick": ({"/x": {"ParentWholeDisk": "disk4"}, "disk4": STICK}, "at:IODeviceTree:/usb"),
    "an image": ({"/x": {"ParentWholeDisk": "disk5"}, "disk5": IMAGE}, ""),
    "a set of disks": ({"/x": {"ParentWholeDisk": "disk5"}, "disk5": WHOLE | {"RAIDMaster": True}}, ""),
    "without a path in the tree": ({"/x": STORE, "disk0": {"VirtualOrPhysical": "Physical"}}, ""),
    "nothing is told": ({}, ""),
}


@pytest.mark.parametrize("case", ON_MACOS)
def test_on_macos_only_what_diskutil_proves_is_a_disk(case: str):
    """Recorded after diskutil(8); nothing of this could be run here."""
    told, key = ON_MACOS[case]
    found = disks_of_volume(b"/x", lambda word: told.get(word, {}))
    assert (found.keys, bool(found.why)) == (({key} if key else frozenset()), not key)
