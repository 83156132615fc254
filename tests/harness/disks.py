"""Disks that a test says there are: this machine has one."""

import os
from pathlib import Path

import pytest

from foldkeep.model.disks import Disks
from foldkeep.storage.local.drives.disks import DiskFinder


def say_disks(monkeypatch: pytest.MonkeyPatch, disks: dict[Path, str], rest: str = "inner") -> None:
    """Have folders lie on disks of these names, and all else on one more."""
    found = DiskFinder.disks_of

    def disks_of(finder: DiskFinder, path: bytes, device: int) -> Disks:
        tops = {os.fsencode(top): name for top, name in disks.items()}
        at = max((top for top in tops if (path + b"/").startswith(top + b"/")), key=len, default=None)
        real = found(finder, path, device)
        if at is None and (real.why or real.is_memory):
            return real
        name = rest if at is None else tops[at]
        return Disks(frozenset({f"at:{name}", f"id:{name}"}), name=name)

    monkeypatch.setattr(DiskFinder, "disks_of", disks_of)
