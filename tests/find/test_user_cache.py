"""The user's cache folder: told whether scanned or not, and versions in it."""

import os
from pathlib import Path

import pytest

from foldkeep.find.derived.sorting import _version_of
from harness.desks import Desk


@pytest.fixture
def cache(desk: Desk) -> Path:
    """A home that is scanned, and a cache folder in it with two programs, one in three versions."""
    for name, size in {"viewer/1.9/a.bin": 9000, "viewer/1.10/a.bin": 9000, "viewer/1.10/b.bin": 5000,
                       "viewer/00/shard": 4000, "player/x": 90_000}.items():  # fmt: skip
        path = desk.top / "cache" / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(os.urandom(size))
    (desk.top / "cache/loop").symlink_to("..")
    desk.write("kite.jpg")
    desk.ask("scan", desk.place)
    return desk.top / "cache"


def test_it_is_told_whether_scanned_or_not_with_the_command_that_includes_it(desk: Desk, cache: Path):
    for words in (("caches",), ("space",), ("room", "1kB"), ("checkup",)):
        told = desk.ask(*words)["user_cache"]
        assert (told["path"], told["files"], told["whole"], told["scanned"]) == (str(cache), 5, True, False), words
        assert [each["name"] for each in told["programs"]] == ["player", "viewer"]
        assert told["bytes"] == sum(path.stat().st_blocks * 512 for path in cache.rglob("*") if path.is_file())
        shown = desk.run(*words).out
        assert f"Your programs' caches, {cache}: " in shown
        assert f"foldkeep scan {cache}   includes it" in shown
    desk.ask("scan", cache)
    assert f"foldkeep caches --under {cache}   lists what may go" in desk.run("caches").out
    assert desk.run("caches", "--json", XDG_CACHE_HOME=str(desk.top / "none")).json.get("user_cache") is None


def test_folders_whose_names_differ_in_a_version_alone_are_versions(desk: Desk, cache: Path):
    desk.ask("scan", cache)
    found = desk.ask("caches", "--all-but-newest-version")["regenerable"]
    assert [os.path.relpath(each["path"], cache) for each in found] == ["viewer/1.9/a.bin"]
    for name, expected in {
        b"app/1.10/x": (b"app/\0/x".rpartition(b"/")[0], "1.10"), b"app-2.0.1": (b"app-\0", "2.0.1"),
        b"app/v12": (b"app/\0", "12"), b"00/01": (b"", ""), b"app/7": (b"", ""), b"day 2026-01-02": (b"", ""),
        b"app/v3beta": (b"", ""), b"h264v2/x": (b"", ""),
    }.items():  # fmt: skip
        assert _version_of(name) == expected, name
