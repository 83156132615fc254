"""The power goes at any moment: whatever was not flushed may be missing, and nothing is lost for that."""

import fcntl
import os
import re
import shutil
import struct
import subprocess

import pytest

from foldkeep.storage.local.drives import keeps_change_times
from harness.desks import Desk, listing
from harness.drives import attached_drive, mounted
from harness.points import Points, every_content, lacking
from harness.power import Change, Recorder, after_cut, digest_of, in_order, lay_out, subsets, unflushed_at
from harness.scenes import CASES, FOR_GOOD, LINKED, Scenes

QUICK = {("fold", "fold"), ("move-far", "fold"), ("symlink", "fold"), ("fold", "unfold"), ("fold", "release"),
         ("empty", "bins"), ("copy", "fold"), ("copy", "unfold"), ("heal", "fold"),
         ("essence-fold", "fold"), ("essence-fold", "release"), ("essence-fold", "rebuild")}  # fmt: skip
_JOURNAL = b"journal-2.jsonl"


def recorded(scenes: Scenes, tmp_path, without: str) -> Recorder:
    scenes.reset()
    snapshots = tmp_path / "snapshots"
    snapshots.mkdir()
    tops = [scenes.desk.place, scenes.far, *([scenes.desk.top / "home"] if scenes.method == "empty" else [])]
    recorder = Recorder(tops, scenes.desk.stock.parent, snapshots)
    with recorder.armed(), lacking(without):
        scenes.desk.run(*scenes.line())
    return recorder


def check_order(changes: list[Change], keepers: set[int], folders: set[int], *, vouched: bool = False) -> int:
    """A journal's line is flushed before the change that it announces, and that before it is called done."""
    journals = {change.node for change in changes if change.what == "name" and change.names[0] == _JOURNAL}
    journals |= {change.node for change in changes if change.what == "write" and b'"do":' in change.data}
    checked = 0
    for at, change in enumerate(changes):
        before = unflushed_at(changes[:at])
        if change.what == "rename":
            assert not [each for each in before if changes[each].node in journals and changes[each].what == "write"]
            checked += 1
        elif change.what == "unname" and change.node not in folders and re.match(rb"\d{6}|[ab]\.jpg", change.names[0]):
            # What is deleted for good has a copy that is on the disk, not only in memory; or its machine flushed it.
            assert vouched or any(each.what == "flush" and each.node in keepers for each in changes[:at])
            checked += 1
        elif change.what == "write" and change.node in journals and b'"done":' in change.data:
            # An emptied folder, or one that comes back, may lie on the way of the next. What was tried out is gone.
            renames = [changes[each] for each in before if changes[each].what == "rename"]
            assert not [each for each in renames if not each.names[0].startswith(b"probe")], (at, change)
            checked += 1
    return checked


def check_states(scenes: Scenes, recorder: Recorder, every: bool) -> tuple[int, int]:
    """Recover from what a power cut at each flush may leave; return how many flushes and states those were."""
    cuts = [at for at, change in enumerate(recorder.changes) if change.what == "flush"] + [len(recorder.changes)]
    seen: set[bytes] = set()
    for cut in cuts:
        changes = recorder.changes[:cut]
        open_ = unflushed_at(changes)
        stock = changes[-1].stock if changes else 1
        for present in subsets(open_, 8 if every else 0, cut, 200 if every else 0):
            present = in_order(changes, open_, present)
            writes = [at for at in present if changes[at].what == "write"] if every else []
            for torn in (None, *writes):
                found = after_cut(recorder.nodes, changes, frozenset(open_) - present, torn)
                state = digest_of(found, recorder.roots) + bytes([stock % 256])
                if state not in seen:
                    seen.add(state)
                    recover(scenes, recorder, found, stock, alone=len(seen) % 2 == 0, where=f"cut at {cut}")
    return len(cuts), len(seen)


def recover(scenes: Scenes, recorder: Recorder, found, stock: int, *, alone: bool, where: str) -> None:
    desk = scenes.desk
    for root, top in zip(recorder.roots, recorder.tops, strict=True):
        lay_out(found, root, top)
    shutil.rmtree(desk.stock.parent, ignore_errors=True)
    if alone and scenes.command not in ("release", "rests") and scenes.method not in FOR_GOOD:
        if (desk.place / ".foldkeep").exists():
            assert desk.run("unfold", "--from", desk.place).status in (0, 1), where
    else:
        shutil.copytree(recorder._snapshots / str(stock), desk.stock.parent)
        answer = desk.run("unfold", "1", "--json")
        assert answer.status in (0, 1, 2), (where, answer)
    assert scenes.kept <= every_content(*recorder.tops), f"lost, {where}, {'alone' if alone else 'with stock'}"
    if scenes.method not in FOR_GOOD and scenes.command not in ("release", "rests"):
        now = {path: facts[0] for path, facts in scenes.state().items() if isinstance(facts, tuple)}
        before = {path: facts[0] for path, facts in scenes.before.items() if isinstance(facts, tuple)}
        assert now == before, where


@pytest.mark.parametrize(
    ("method", "command", "without", "every"),
    [
        *(
            pytest.param(*case, "", False, marks=() if case[0] == "fold" else pytest.mark.more)
            for case in CASES
            if case in QUICK
        ),
        *(pytest.param("fold", command, "links", False, marks=pytest.mark.more) for command in ("fold", "unfold")),
        *(
            pytest.param(*case, without, True, marks=pytest.mark.long)
            for case in CASES
            for without in ("", "links")
            if case[0] not in ("clone", "bin", *(LINKED if without else ()))
        ),
    ],
)
def test_what_a_power_cut_leaves_loses_nothing(tmp_path, far, method, command, without, every):
    scenes = Scenes(tmp_path, far, method, command)
    recorder = recorded(scenes, tmp_path, without)
    place = os.fsencode(scenes.desk.place)
    if method == "heal" and not keeps_change_times(place, os.stat(place).st_dev):
        pytest.skip("what is damaged cannot be told from what was edited on this volume")
    assert len(recorder.changes) > 20
    keepers = {node for name, node in recorder.nodes[recorder.roots[0]].names.items() if name != b"in"}
    folders = {number for number, node in recorder.nodes.items() if node.kind == "folder"}
    keepers |= {change.node for change in recorder.changes if change.what == "name"}
    assert check_order(recorder.changes, keepers, folders, vouched=method.startswith("vouched-")) > 0
    with lacking(without):
        cuts, states = check_states(scenes, recorder, every)
    print(f"\n{command}, {method}: {len(recorder.changes)} changes and flushes, cut at {cuts}, {states} states")


_SHUTDOWN, _WITHOUT_FLUSHING = 0x8004587D, 2  # EXT4_IOC_SHUTDOWN, EXT4_GOING_FLAGS_NOLOGFLUSH


def cut_off(point: str) -> None:
    """Take the power from a drive: what is not on it now never gets there."""
    descriptor = os.open(point, os.O_RDONLY)
    fcntl.ioctl(descriptor, _SHUTDOWN, struct.pack("i", _WITHOUT_FLUSHING))
    os._exit(9)


@pytest.mark.parametrize("every", [23, pytest.param(1, marks=pytest.mark.long)])
@pytest.mark.parametrize("method", ["fold", "hard-link"])
def test_a_drive_whose_power_is_cut_off_comes_back_whole(tmp_path, method, every):
    with attached_drive(tmp_path, "ext4") as (device, point):
        desk = Desk(tmp_path)
        desk.place = point
        shutil.rmtree(point / "lost+found")
        for name in "ab":
            desk.write(f"{name}.jpg", name.encode() * 40)
            desk.write(f"in/deep/{name} copy.jpg", name.encode() * 40)
        desk.write("in/deep/b copy.xmp", b"of the spare only")
        desk.proposed()
        before = {path: facts[:3] for path, facts in listing(point).items()}
        shutil.copytree(desk.stock.parent, tmp_path / "saved")
        number, ended = 0, False
        os.sync()
        while not ended:
            number += every
            shutil.rmtree(desk.stock.parent)
            shutil.copytree(tmp_path / "saved", desk.stock.parent)
            child = os.fork()
            if child == 0:
                with Points(lambda at, *_, n=number: cut_off(str(point)) if at == n else None).armed():
                    desk.run("fold", desk.docket, "--yes", "--method", method)
                os._exit(0)
            ended = os.waitpid(child, 0)[1] == 0
            if not ended:
                subprocess.run(["umount", point], check=True)
                assert mounted(device, str(point))
            alone = number % 2 == 0
            if alone and (point / ".foldkeep").exists():
                assert desk.run("unfold", "--from", point).status == 0, number
            elif not alone and desk.ask("ledger")["runs"]:
                assert desk.run("unfold", "1").status == 0, number
            assert {path: facts[:3] for path, facts in listing(point).items()} == before, number
            assert not (point / ".foldkeep").exists(), number
        print(f"\nfold, {method}: power cut off from an ext4 drive at each {every}. of {number} points")
