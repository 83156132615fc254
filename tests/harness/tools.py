"""Programs that tests need beside Python, venv, make and git: asked for before use, and what installs them."""

import os
import shutil
from collections.abc import Iterable

import pytest

PACKAGES = {
    "AtomicParsley": "atomicparsley",
    "apache2": "apache2-bin",
    "bindfs": "bindfs",
    "chromedriver": "chromium-driver",
    "chromium": "chromium",
    "cron": "cron",
    "dbus-daemon": "dbus-daemon",
    "exiftool": "libimage-exiftool-perl",
    "exiv2": "exiv2",
    "ffmpeg": "ffmpeg",
    "fish": "fish",
    "fuseiso": "fuseiso",
    "fusermount3": "fuse3",
    "gio": "libglib2.0-bin",
    "id3v2": "id3v2",
    "losetup": "mount",
    "mergerfs": "mergerfs",
    "metaflac": "flac",
    "mkfs.btrfs": "btrfs-progs",
    "mkfs.exfat": "exfatprogs",
    "mkfs.ext4": "e2fsprogs",
    "mkfs.ntfs": "ntfs-3g",
    "mkfs.vfat": "dosfstools",
    "mkfs.xfs": "xfsprogs",
    "mkntfs": "ntfs-3g",
    "mkvpropedit": "mkvtoolnix",
    "mkudffs": "udftools",
    "mount": "mount",
    "ps": "procps",
    "sfdisk": "fdisk",
    "sshd": "openssh-server",
    "sshfs": "sshfs",
    "systemd-analyze": "systemd",
    "umount": "mount",
    "vorbiscomment": "vorbis-tools",
    "xorriso": "xorriso",
    "zsh": "zsh",
}
"""Debian's packages by the program that a test asks for."""

_OF_ROOT = os.pathsep.join(["/usr/sbin", "/sbin"])


def has(*programs: str) -> bool:
    """Tell whether all of these programs are on the path."""
    return all(map(shutil.which, programs))


def need(*programs: str) -> None:
    """Skip a test whose programs are not here, and name those."""
    missing = [program for program in programs if not has(program)]
    if missing:
        pytest.skip(lacking(*missing))


def lacking(*programs: str) -> str:
    """Return the reason for a test that is not run where programs are not here."""
    return f"{' and '.join(programs)} not here"


def packages_for(reasons: Iterable[str]) -> list[str]:
    """Return Debian's packages with the programs that reasons name and that are not here."""
    words = {word.strip(",.;()") for reason in reasons for word in reason.split()}
    return sorted({package for program, package in PACKAGES.items() if program in words and not _is_installed(program)})


def _is_installed(program: str) -> bool:
    """Tell whether a program is here, even where only root has it on the path."""
    return has(program) or shutil.which(program, path=_OF_ROOT) is not None
