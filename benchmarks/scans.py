"""Measures of scanning very many files."""

import os
from collections.abc import Iterator
from pathlib import Path

from .timing import Row, compared, in_turn, run, seconds


def million_files(folder: Path, foldkeep: str) -> Iterator[Row]:
    """The memory of a scan of 1,000,000 files."""
    _make_many(folder / "many", 1_000_000, 1000)
    cost = run(f"{foldkeep} scan many --stock {folder / 'stock'} --quiet", folder)
    yield (
        "memory, scan of 1,000,000 files",
        f"{cost.memory / 1e6:.0f} MB, {seconds(cost.seconds)}",
        "",
        "",
        "< 300 MB",
    )
    size = (folder / "stock").stat().st_size / 1_000_000
    yield ("stock size, none of these files read", f"{size:.0f} bytes a file", "", "", "< 250")
    look = f"{foldkeep} checkup --stock {folder / 'stock'} --quiet"
    run(look, folder)
    ours, theirs = in_turn(look, "find many -printf '%p %s %T@ %i\\n'", folder, times=3)
    yield compared("`checkup`, 1,000,000 files, nothing changed", ours, theirs, "find -printf", "≤ 15 s")


def rescan(folder: Path, foldkeep: str) -> Iterator[Row]:
    """2,000,000 files in 20,000 folders, scanned again with ten of them changed."""
    _make_many(folder / "many", 2_000_000, 100)
    scan = f"{foldkeep} scan many --stock stock --quiet"
    run(scan, folder)
    some = sorted((folder / "many" / "1" / "501").iterdir())[:10]

    def change() -> None:
        for path in some:
            os.truncate(path, path.stat().st_size + 1)

    ours, theirs = in_turn(scan, "find many -printf '%p %s %T@ %i\\n'", folder, before=change)
    yield compared("scan again, ten of 2,000,000 files changed", ours, theirs, "find -printf", "≤ 2.0, < 300 MB")


def _make_many(top: Path, count: int, in_folder: int) -> None:
    """Make files of sizes that none share: what is measured is knowing them, not reading them."""
    for number in range(count):
        if number % in_folder == 0:
            place = top / f"{number // in_folder // 500}" / f"{number // in_folder}"
            place.mkdir(parents=True)
        descriptor = os.open(place / f"WKD_{number:07}.jpg", os.O_CREAT | os.O_WRONLY)
        os.truncate(descriptor, 10_000_000 + number)
        os.close(descriptor)
