"""The sets that are found, against a plain comparison that reads everything."""

import os
import shutil
import socket
import subprocess
import sysconfig
import tempfile
from collections import defaultdict
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

from harness.desks import QUICK, Desk
from harness.oracles import BLOCK, content, found_sets, oracle

names = st.one_of(
    st.binary(min_size=1, max_size=12).filter(lambda n: n not in (b".", b"..", b".foldkeep") and not {0, 47} & set(n)),
    st.sampled_from([b"-rf", b"two\nlines", b"\xff\xfe.jpg", "\u202ekite.jpg".encode(), b" ", b"=1+1.png", b"\x1b[2J"]),
)
# Few sizes around the borders of the blocks at both ends, and one byte changed in places that matter.
sizes = st.sampled_from([0, 1, 5, BLOCK - 1, BLOCK, 2 * BLOCK, 2 * BLOCK + 1, 5 * BLOCK])
changes = st.sampled_from(["none", "none", "start", "middle", "end"])
entries = st.one_of(
    st.tuples(st.just("file"), sizes, changes),
    st.tuples(st.just("link"), st.integers(0, 20), st.just("")),
    st.tuples(st.sampled_from(["symlink", "fifo", "socket"]), st.just(0), st.just("")),
)
trees = st.dictionaries(st.tuples(st.integers(0, 3), names), entries, max_size=18)
EVERYTHING = ("--hidden", "--system", "--bundles")
FOLDERS = (b".", b"a", b"a/b\n", b"\xe9")


def grow(top: bytes, tree: dict) -> None:
    """Make a random tree."""
    files: list[bytes] = []
    for folder in FOLDERS:
        os.makedirs(os.path.join(top, folder), exist_ok=True)
    for (folder, name), (what, number, change) in tree.items():
        path = os.path.join(top, FOLDERS[folder], name)
        if os.path.lexists(path):
            continue
        if what == "file":
            with open(path, "wb") as file:
                file.write(content(number, change))
            files.append(path)
        elif what == "link" and files:
            os.link(files[number % len(files)], path)
        elif what == "symlink":
            os.symlink(files[0] if files else b"..", path)
        elif what == "fifo":
            os.mkfifo(path)
        elif what == "socket" and len(path) < 100:
            with socket.socket(socket.AF_UNIX) as made:
                made.bind(path)


@settings(max_examples=60, deadline=None)
@given(trees)
def test_sets_of_random_trees_are_those_of_a_plain_comparison(tree):
    with tempfile.TemporaryDirectory(dir=QUICK) as top:
        desk = Desk(Path(top))
        grow(os.fsencode(desk.place), tree)
        assert desk.ask("scan", desk.place, *EVERYTHING)["problems"] == []
        assert found_sets(desk) == oracle(desk.place)


def test_sets_in_the_standard_library_are_those_of_find_and_sha256sum(desk: Desk):
    source = Path(sysconfig.get_path("stdlib"))
    skip = shutil.ignore_patterns("site-packages", "__pycache__", "test", "idlelib")
    shutil.copytree(source, desk.place / "one", ignore=skip)
    shutil.copytree(source, desk.place / "two", ignore=skip)
    for number, path in enumerate(sorted((desk.place / "two").rglob("*.py"))):
        if number % 3 == 0:
            path.rename(path.with_name(f"renamed {number}.py"))
    lines = subprocess.run(
        "find . -type f -size +0 -print0 | xargs -0 sha256sum | sort",
        shell=True,
        cwd=desk.place,
        capture_output=True,
        text=True,
        check=True,
    ).stdout.splitlines()
    theirs = defaultdict(set)
    for line in lines:
        digest, _, name = line.partition("  ")
        theirs[digest].add(os.fsencode(desk.place) + name.removeprefix(".").encode())
    expected = {frozenset(paths) for paths in theirs.values() if len(paths) > 1}
    answer = desk.ask("scan", desk.place)
    ours = found_sets(desk)
    assert ours == expected
    print(f"\n{answer['files']} files, {answer['bytes']} bytes, {len(ours)} sets; read {answer['read_bytes']} bytes")


def test_a_scan_again_reads_only_what_changed(desk: Desk):
    for number in range(6):
        desk.write(f"{number}.jpg", content(5 * BLOCK, "none" if number < 4 else "middle"))
    first = desk.ask("scan", desk.place)
    assert first["hashed_files"] == 6
    assert desk.ask("scan")["read_bytes"] == 0
    desk.write("0.jpg", content(5 * BLOCK, "end"), modified=1_760_000_000)
    (desk.place / "1.jpg").unlink()
    again = desk.ask("scan")
    # Of the changed file both ends, which agree with no other file's.
    assert (again["hashed_files"], again["read_bytes"]) == (0, 2 * BLOCK)
    assert found_sets(desk) == oracle(desk.place)


def test_what_cannot_be_read_is_a_line_and_not_the_end(desk: Desk, monkeypatch):
    first, second = desk.write("one.jpg", b"x" * 99), desk.write("two.jpg", b"x" * 99)
    third = desk.write("three.jpg", b"x" * 99)
    real_open = os.open

    def failing(path, *rest, **named):
        if path == os.fsencode(second):
            raise PermissionError(13, "Permission denied")
        return real_open(path, *rest, **named)

    monkeypatch.setattr(os, "open", failing)
    answer = desk.run("scan", desk.place)
    assert answer.status == 1
    assert f"{second}: permission denied" in answer.err
    monkeypatch.undo()
    assert found_sets(desk) == {frozenset(map(os.fsencode, (first, third)))}


def test_roles_keep_a_backup_out_of_the_spares(desk: Desk):
    desk.write("kite.jpg", b"k" * 50)
    backup = desk.top / "drive"
    backup.mkdir()
    (backup / "kite.jpg").write_bytes(b"k" * 50)
    desk.ask("scan", desk.place)
    desk.ask("scan", backup, "--role", "backup")
    assert desk.ask("duplicates")["totals"] == {"sets": 0, "spares": 0, "reclaimable": 0}
    assert desk.ask("duplicates", "--across")["totals"] == {"sets": 1, "spares": 1, "reclaimable": 50}
    desk.ask("scan", backup)
    assert desk.ask("duplicates")["totals"]["sets"] == 0, "a scan without --role changes no role"


def test_hard_links_are_told_and_are_no_saving(desk: Desk):
    one = desk.write("one.jpg", b"k" * 70)
    os.link(one, desk.place / "link.jpg")
    desk.write("two.jpg", b"k" * 70)
    os.link(desk.place / "two.jpg", desk.top / "outside every place.jpg")
    desk.ask("scan", desk.place)
    answer = desk.ask("duplicates")
    # Of `two`, a name lies outside: its space stays. `one` comes free if both its names go.
    assert answer["totals"] == {"sets": 1, "spares": 1, "reclaimable": 70}
    assert desk.run("duplicates").out.count("(hard link)") == 2
    (row,) = [row for row in desk.proposed() if ",fold," in row]
    assert "two.jpg" in row
    assert desk.ask("keep", "-o", desk.docket)["reclaimable"] == 0
