"""Packages, seen from outside: every name in a folder, and unpacking by the system's own programs."""

import hashlib
import os
import shutil
import stat
import subprocess
import tarfile
import zipfile
from pathlib import Path

import pytest
import zstandard

EDL = "TITLE: cut\n001  AX  V  C  0 1 0 1\n* SOURCE FILE: {}\n"


def everything(top: Path) -> dict[bytes, tuple]:
    """Every name below a folder with its kind, mode, time in ns, content or link, and other names."""
    found: dict[bytes, tuple] = {}
    inodes: dict[int, list[bytes]] = {}
    root = os.fsencode(top)
    for folder, folders, names in os.walk(root):
        for name in [*folders, *names, b"."]:
            path = os.path.normpath(os.path.join(folder, name))
            facts = os.lstat(path)
            what = b""
            if stat.S_ISREG(facts.st_mode):
                what = hashlib.sha256(Path(os.fsdecode(path)).read_bytes()).digest()
                inodes.setdefault(facts.st_ino, []).append(os.path.relpath(path, root))
            elif stat.S_ISLNK(facts.st_mode):
                what = os.readlink(path)
            found[os.path.relpath(path, root)] = (facts.st_mode, facts.st_mtime_ns, what)
    twins = {path: tuple(sorted(paths)) for paths in inodes.values() for path in paths}
    return {path: (*facts, twins.get(path)) for path, facts in found.items()}


def extract(archive: Path, into: Path, *, trust: str = "fully_trusted") -> None:
    """Take a tar apart that we made or fetched; Python 3.11.2 knows no filter yet, 3.14 wants one."""
    named = {"filter": trust} if hasattr(tarfile, f"{trust}_filter") else {}
    with tarfile.open(archive) as packed:
        packed.extractall(into, **named)  # noqa: S202


def unpack(package: Path, into: Path) -> Path:
    """Unpack a package with the system's own programs, where they are there."""
    into.mkdir()
    if package.is_dir():
        return package
    if package.suffix == ".iso":
        if shutil.which("xorriso"):
            # A path below /dev would be taken for a drive.
            line = ["xorriso", "-osirrox", "on", "-indev", f"stdio:{package}", "-extract", "/", into]
            subprocess.run(line, check=True, capture_output=True)
            subprocess.run(["chmod", "-R", "u+w", into], check=True)
            return into
        pytest.skip("xorriso is not here")
    if package.suffix == ".zst":
        plain = into.with_suffix(".tar")
        with package.open("rb") as source, plain.open("wb") as target:
            zstandard.ZstdDecompressor().copy_stream(source, target)
        package = plain
    if package.suffix == ".zip" and shutil.which("unzip"):
        subprocess.run(["unzip", "-q", package, "-d", into], check=True)
    elif package.suffix == ".zip":
        with zipfile.ZipFile(package) as packed:
            packed.extractall(into)  # noqa: S202
    else:
        subprocess.run(["tar", "xf", package, "-C", into], check=True)
    (top,) = into.iterdir()
    return top
