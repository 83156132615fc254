"""What hostile eyes found once: contents lost, and runs that could not be taken back. Each is a case here."""

import contextlib
import os
import shutil
import subprocess
from pathlib import Path
from types import SimpleNamespace

import pytest

from foldkeep.fold.runs import folding, releasing
from harness.desks import KITE, PROGRAM, Desk, TrustingDesk, contents, edit, edit_quietly, left, listing, pair
from harness.drives import attached_drive, mounted, pluggable
from harness.points import Points, know_volumes


@pytest.mark.parametrize("method", ["hard-link", "symlink", "clone"])
def test_unfold_deletes_nothing_that_another_program_saved(tmp_path, method):
    with contextlib.ExitStack() as stack:
        point = stack.enter_context(attached_drive(tmp_path, "xfs"))[1] if method == "clone" else tmp_path
        desk = Desk(point)
        _, spare = pair(desk)
        desk.proposed()
        desk.ask("fold", desk.docket, "--yes", "--method", method)
        aside = desk.write("old/saving.jpg", b"S" * 40)
        aside.replace(spare)
        shutil.copytree(desk.place, point / "saved", symlinks=True)
        points = Points(lambda *_: None, looks=True)
        number = 0
        while number <= points.count:
            number += 1
            shutil.rmtree(desk.place)
            shutil.copytree(point / "saved", desk.place, symlinks=True)

            def makes_the_name(at, name, when, wanted=number):
                if at == wanted and not os.path.lexists(spare):
                    spare.write_bytes(b"made meanwhile")

            points = Points(makes_the_name, looks=True)
            with points.armed():
                desk.run("unfold", "--from", desk.place)
            found = [path.read_bytes() for path in desk.place.glob("**/*.jpg")]
            assert b"S" * 40 in found, points.site[number - 1 : number]
            assert found.count(KITE) >= 2
        assert number > 50


@pytest.mark.parametrize("view", ["overlay", "bindfs", "bind"])
def test_one_file_seen_through_two_mounts_is_one_file(desk: Desk, view):
    seen = desk.top / "seen"
    seen.mkdir()
    pair(desk)
    if view == "overlay":
        for name in ("upper", "work"):
            (desk.top / name).mkdir()
        options = f"lowerdir={desk.place},upperdir={desk.top}/upper,workdir={desk.top}/work"
        there = mounted("-t", "overlay", "overlay", "-o", options, str(seen))
    elif view == "bind":
        there = mounted("--bind", str(desk.place), str(seen))
    else:
        there = (
            bool(shutil.which("bindfs")) and not subprocess.run(["bindfs", desk.place, seen], check=False).returncode
        )
    if not there:
        pytest.skip("mounting is refused here")
    try:
        (desk.place / "old/kite.jpg").unlink()
        desk.run("scan", desk.place)
        desk.run("scan", seen)
        if view == "overlay":
            assert desk.ask("duplicates")["sets"] == []
        (row,) = [f for f in desk.ask("list")["files"] if f["path"] == f"{desk.place}/kite.jpg"]
        header = "set,action,path,size,kind,modified,digest,reason,uri\n"
        rows = [
            f"1,{action},{top}/kite.jpg,40,photo,{row['modified']},,,file://{top}/kite.jpg\n"
            for action, top in (("keep", seen), ("fold", desk.place))
        ]
        desk.docket.write_text(header + "".join(rows))
        for words in (["--method", "fold"], ["--method", "delete", "--for-good"]):
            answer = desk.run("fold", desk.docket, "--yes", *words, "--json")
            if view == "bind":  # one folder is one place, under whatever path
                assert (answer.status, "lies in no place" in answer.err) == (2, True)
            else:
                ((_, why),) = left(answer.json)
                assert "the same file as its keeper" in why or "changed or went away" in why
            assert (desk.place / "kite.jpg").read_bytes() == KITE
    finally:
        subprocess.run(["umount", "-l", seen], check=False)


def test_two_stocks_with_opposite_dockets_at_once_lose_nothing(desk: Desk):
    for number in range(60):
        pair(desk, f"{number}.jpg", f"old/{number}.jpg", b"%d" % number * 99)
    before = contents(desk.place)
    desk.proposed()
    other = Desk(desk.top)
    other.stock, other.docket = desk.top / "other/stock.sqlite3", desk.top / "other.csv"
    other.ask("scan", desk.place)
    shutil.copy(desk.docket, other.docket)
    swapped = {"keep": "fold", "fold": "keep"}
    edit(other.docket, lambda row: {**row, "action": swapped.get(row["action"], row["action"])})
    both = [
        subprocess.Popen([*PROGRAM, "fold", each.docket, "--yes", "--method", "delete", "--for-good", "--stock",
                          each.stock, "--quiet"], stderr=subprocess.PIPE, text=True)
        for each in (desk, other)
    ]  # fmt: skip
    told = [process.communicate(timeout=60)[1] for process in both]
    assert contents(desk.place) == before, told
    assert not (desk.place / ".foldkeep").exists()


def test_a_place_is_held_whatever_stock_somebody_comes_with(desk: Desk, monkeypatch):
    import foldkeep.storage.holders as holders
    import foldkeep.storage.local.drives.locks as locks

    pair(desk)
    desk.proposed()
    monkeypatch.setattr(locks, "WAIT_SECONDS", 0.1)
    lock = desk.place / ".foldkeep/lock"
    lock.parent.mkdir()
    holder = subprocess.Popen(["flock", lock, "sleep", "60"])
    try:
        while subprocess.run(["flock", "-n", lock, "true"], check=False).returncode == 0:
            pass
        answer = desk.run("fold", desk.docket, "--yes")
        assert (answer.status, answer.err.count("\n")) == (2, 1)
        assert f"{desk.place} is held by another program; wait until that is done" in answer.err
        assert desk.ask("ledger")["runs"] == []
    finally:
        holder.kill()
        holder.wait()

    # Where nothing can be locked, the file is the lock: one of another computer is told, and broken only on demand.
    def no_locks(*_):
        raise OSError(95, "not supported")

    monkeypatch.setattr(locks, "fcntl", SimpleNamespace(flock=no_locks, LOCK_EX=2, LOCK_NB=4))
    lock.parent.mkdir(exist_ok=True)
    lock.write_text('{"work": "fold", "process": 7, "start": "1", "host": "desk-2", "boot": "b", "since": 1750000000}')
    answer = desk.run("fold", desk.docket, "--yes")
    assert (answer.status, "on desk-2, process 7, since" in answer.err, "--break-lock" in answer.err) == (2, True, True)
    told = locks.json.dumps(
        {
            "work": "fold",
            "process": 2**22 + 1,
            "start": "1",
            "host": holders.socket.gethostname(),
            "boot": holders._boot(),
        }
    )
    lock.write_text(told)
    assert desk.ask("fold", desk.docket, "--yes")["folded"] == 1, "a dead one of this computer is told to be dead"
    lock.write_text('{"work": "fold", "process": 7, "start": "1", "host": "desk-2", "boot": "b", "since": 1750000000}')
    assert desk.run("unfold", "1").status == 2
    assert desk.ask("unfold", "1", "--break-lock")["restored"] == 1
    assert not (desk.place / ".foldkeep").exists()


def test_an_edit_whose_times_were_put_back_is_noticed(desk: Desk, monkeypatch):
    _, spare = pair(desk)
    desk.proposed()
    real = folding.intention

    def edited(ready):
        edit_quietly(spare, b"edited")
        return real(ready)

    monkeypatch.setattr(folding, "intention", edited)
    assert left(desk.ask("fold", desk.docket, "--yes")) == [("kite.jpg", "changed while it was folded")]
    monkeypatch.undo()
    spare.write_bytes(KITE)
    desk.proposed()
    desk.ask("fold", desk.docket, "--yes")
    (slot,) = desk.place.glob(".foldkeep/*/files/*")
    edit_quietly(slot, b"edited in the fold")
    assert [p["reason"] for p in desk.ask("ledger", "--verify")["problems"]] == ["its content is not what was folded"]
    for words in ([], ["--allow-last-copy"]):
        answer = desk.ask("release", "--all", "--yes", *words)
        assert left(answer) == [("kite.jpg", "its content is not what was folded; unfold it to look at it")]
    assert desk.ask("unfold", "--last")["restored"] == 1
    assert spare.read_bytes().startswith(b"edited in the fold")


@pytest.mark.parametrize("moment", ["before", "after"])
def test_a_keeper_that_goes_while_others_are_released_keeps_its_copy(desk: Desk, monkeypatch, moment):
    keeper, _ = pair(desk)
    pair(desk, "b.jpg", "old/b.jpg", b"b" * 40)
    desk.proposed()
    desk.ask("fold", desk.docket, "--yes")
    real, real_unlink = releasing.remove, os.unlink
    if moment == "before":

        def removes(*args):
            keeper.unlink(missing_ok=True)
            real(*args)

        monkeypatch.setattr(releasing, "remove", removes)
    else:  # in the moment in which the copy in the fold is gone already

        def unlinks(name, **where):
            real_unlink(name, **where)
            if name == b"000002.jpg" and keeper.exists():
                real_unlink(keeper)

        monkeypatch.setattr(os, "unlink", unlinks)
    answer = desk.ask("release", "1", "--yes")
    monkeypatch.undo()
    assert answer["released"] == 1
    assert left(answer) == [("kite.jpg", "no copy of it outside the fold can be read now; unfold it to keep it")]
    assert desk.ask("unfold", "1")["restored"] == 1
    assert (desk.place / "old/kite.jpg").read_bytes() == KITE


def test_a_source_that_is_another_file_now_vouches_for_nothing(tmp_path: Path):
    desk = TrustingDesk(tmp_path)
    source = desk.write("edit/STG_0001.mp4", b"the original")
    desk.write("edit/proxies/STG_0001.mov", b"small")
    desk.write("edit/cut.edl", b"TITLE: cut\n* FROM CLIP NAME: another.mp4\n", 1_600_000_000)
    desk.ask("scan", desk.place)
    desk.ask("caches", "-o", desk.docket)
    source.write_bytes(b"something else of this name")
    assert left(desk.ask("fold", desk.docket, "--yes")) == [
        ("STG_0001.mov", f"what it is made from is another file now: {source}")
    ]
    desk.docket.unlink()
    desk.ask("scan")
    desk.ask("caches", "-o", desk.docket)
    assert desk.ask("fold", desk.docket, "--yes")["folded"] == 1
    source.write_bytes(b"SOMETHING ELSE OF THIS NAME")
    os.utime(source, (1_700_000_000, 1_700_000_000))
    answer = desk.ask("release", "--all", "--yes")
    assert left(answer) == [
        ("STG_0001.mov", f"what it is made from is another file now: {source}; unfold it to keep it")
    ]


@pytest.mark.parametrize("killed", [False, True])
def test_what_is_on_a_drive_that_is_away_is_neither_lost_nor_left(desk: Desk, killed):
    far = desk.top / "far"
    with pluggable(desk.top / "drive", far) as (unplug, plug):
        for number in range(4):
            pair(desk, f"{number}.jpg", f"old/{number}.jpg", b"%d" % number * 99)
        before = listing(desk.place)
        desk.proposed()
        know_volumes(desk)
        words = ["fold", desk.docket, "--yes", "--method", "move", "--to", far]
        if killed:
            child = os.fork()
            if child == 0:
                with Points(lambda at, name, when: os._exit(9) if at == 120 else None).armed():
                    desk.run(*words)
                os._exit(0)
            assert os.waitpid(child, 0)[1] != 0
        else:
            desk.ask(*words)
        unplug()
        told = []
        for _ in range(2):
            answer = desk.run("unfold", "1", "--json")
            told += [each["path"] for each in answer.json["notes"]]
            (run,) = desk.ask("ledger")["runs"]
            assert run["files"]["lost"] == 0
            if not killed:
                assert (answer.status, run["files"]["moved"]) == (1, 4)
            assert (desk.place / ".foldkeep").exists(), "the journal stays"
        plug()
        assert desk.run("unfold", "1").status == 0
        assert {path: facts[:3] for path, facts in listing(desk.place).items()} == {
            path: facts[:3] for path, facts in before.items()
        }
        assert [str(path) for path in far.glob("**/*") if path.is_file()] == told
        assert not desk.ask("ledger")["runs"][0]["underway"]


@pytest.mark.parametrize("kind", ["ext4 -I 128", "vfat"])
def test_a_move_to_a_volume_that_rounds_times_comes_back(tmp_path, kind):
    make, *options = kind.split()
    with attached_drive(tmp_path, make, *options) as (_, far):
        desk = Desk(tmp_path)
        _, spare = pair(desk)
        os.utime(spare, ns=(1, 1_750_000_001_123_456_789))
        spare.chmod(0o640)
        before = listing(desk.place)
        desk.proposed()
        assert desk.ask("fold", desk.docket, "--yes", "--method", "move", "--to", far)["folded"] == 1
        assert (far / "old/kite.jpg").stat().st_mtime_ns % 1_000_000_000 == 0
        assert desk.ask("ledger", "--verify")["problems"] == []
        assert desk.ask("unfold", "1")["restored"] == 1
        assert {path: facts[:3] for path, facts in listing(desk.place).items()} == {
            path: facts[:3] for path, facts in before.items()
        }


@pytest.mark.parametrize("taken_by", ["file", "link"])
def test_a_folder_whose_name_is_taken_comes_back_beside(desk: Desk, taken_by):
    for name in ("a", "b"):
        pair(desk, f"{name}.jpg", f"{name}/in/{name}.jpg", name.encode() * 9)
        (desk.place / f"{name}/in").chmod(0o700)
    desk.proposed()
    assert desk.ask("fold", desk.docket, "--yes")["emptied_folders"] == 4
    taken = desk.place / "a"
    taken.write_bytes(b"somebody's") if taken_by == "file" else taken.symlink_to(desk.top)
    answer = desk.ask("unfold", "1")
    assert (answer["restored"], answer["left"]) == (2, [])
    assert [each["to"]["path"] for each in answer["renamed"]] == [f"{desk.place}/a-2/in/a.jpg"]
    assert (desk.place / "b/in").stat().st_mode & 0o777 == (desk.place / "a-2/in").stat().st_mode & 0o777 == 0o700
    assert taken.is_symlink() == (taken_by == "link")
    assert not (desk.place / ".foldkeep").exists()
