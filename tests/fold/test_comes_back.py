"""What went comes back as it was, whatever happened meanwhile."""

import contextlib
import os
import shutil
import subprocess
from pathlib import Path

import pytest

from foldkeep.stock import Stock
from harness.desks import KITE, Desk, contents, edit, edit_quietly, left, listing, other_volume, pair, state
from harness.drives import mounted, pluggable
from harness.points import Points


@pytest.mark.parametrize("method", ["symlink", "hard-link"])
def test_links_on_a_drive_that_is_mounted_elsewhere_are_known_again(desk: Desk, method):
    pair(desk)
    before = {os.path.relpath(path, os.fsencode(desk.place)): facts[:3] for path, facts in listing(desk.place).items()}
    desk.proposed()
    desk.ask("fold", desk.docket, "--yes", "--method", method)
    elsewhere = desk.top / "elsewhere"
    desk.place.rename(elsewhere)
    shutil.rmtree(desk.stock.parent)
    answer = desk.ask("unfold", "--from", elsewhere)
    assert (answer["restored"], answer["renamed"], answer["left"]) == (1, [], [])
    now = listing(elsewhere)
    assert {os.path.relpath(path, os.fsencode(elsewhere)): facts[:3] for path, facts in now.items()} == before
    assert not (elsewhere / "old/kite.jpg").is_symlink()


@pytest.mark.parametrize("command", ["unfold", "release"])
def test_a_volume_without_a_free_byte_lets_the_fold_go(desk: Desk, command):
    if not mounted("-t", "tmpfs", "-o", "size=3000k", "tmpfs", str(desk.place)):
        pytest.skip("mounting is refused here")
    try:
        for number in range(20):
            pair(desk, f"{number}.jpg", f"old/{number}.jpg", b"%d" % number * 9999)
        before = state(desk.place)
        desk.proposed()
        desk.ask("fold", desk.docket, "--yes")
        with (desk.place / "everything else").open("wb", buffering=0) as file, contextlib.suppress(OSError):
            while file.write(b"x" * 512):
                pass
        answer = desk.ask(command, "1", *(["--yes"] if command == "release" else []))
        assert (answer["left"], answer["restored" if command == "unfold" else "released"]) == ([], 20)
        (desk.place / "everything else").unlink()
        if command == "unfold":
            top = str(desk.place)
            assert {k: v for k, v in state(desk.place).items() if k != top} == {
                k: v for k, v in before.items() if k != top
            }
    finally:
        subprocess.run(["umount", "-l", desk.place], check=False)


def test_a_move_keeps_the_attributes_that_can_be_kept_and_holes(desk: Desk, monkeypatch):
    far = desk.top / "far"
    far.mkdir()
    if not mounted("-t", "tmpfs", "-o", "size=20m", "tmpfs", str(far)):
        pytest.skip("mounting is refused here")
    try:
        _, spare = pair(desk)
        for name in (b"user.first", b"user.second", b"user.third"):
            os.setxattr(spare, name, b"told")
        for path in ("hole.mov", "old/hole.mov"):
            os.truncate(desk.write(path, b""), 30_000_000)
        desk.proposed()
        real = os.setxattr

        def refuses(path, name, value, *rest, **named):
            if os.fsencode(name) == b"user.second":
                raise OSError(95, "not supported")
            return real(path, name, value, *rest, **named)

        monkeypatch.setattr(os, "setxattr", refuses)
        answer = desk.run("fold", desk.docket, "--yes", "--method", "move", "--to", far, "--json")
        assert (answer.status, answer.json["left"], answer.json["folded"]) == (1, [], 2)
        assert [each["reason"] for each in answer.json["notes"]] == [
            "could not be given to its copy on the other volume: user.second"
        ]
        assert {*os.listxattr(far / "old/kite.jpg")} >= {"user.first", "user.third"}
        assert (far / "old/hole.mov").stat().st_blocks == 0
        monkeypatch.undo()
        assert desk.ask("unfold", "1")["restored"] == 2
        assert {*os.listxattr(spare)} >= {"user.first", "user.third"}
    finally:
        subprocess.run(["umount", "-l", far], check=False)


@pytest.mark.parametrize("command", ["fold", "unfold", "release"])
def test_a_stock_that_fails_midway_is_told_with_the_run_s_number(desk: Desk, monkeypatch, command):
    import sqlite3

    for number in range(3):
        pair(desk, f"{number}.jpg", f"old/{number}.jpg", b"%d" % number * 99)
    before = contents(desk.place)
    desk.proposed()
    words = {"fold": [desk.docket, "--yes"], "unfold": ["1"], "release": ["1", "--yes"]}[command]
    if command != "fold":
        desk.ask("fold", desk.docket, "--yes")
    real = Stock.transaction
    began = []

    def fills_up(stock, **named):
        began.append(1)
        if len(began) > 1:
            raise sqlite3.OperationalError("database or disk is full")
        return real(stock, **named)

    monkeypatch.setattr(Stock, "transaction", fills_up)
    answer = desk.run(command, *words, "--json")
    assert (answer.status, answer.err.count("\n"), answer.json["run"]) == (3, 1, 1), answer
    assert "run 1 stopped midway" in answer.err
    assert "foldkeep unfold 1" in answer.err
    monkeypatch.undo()
    assert contents(desk.place) >= before
    assert desk.run("unfold", "1").status == 0
    assert not desk.ask("ledger")["runs"][0]["underway"]


def test_a_file_of_this_computer_is_not_taken_for_one_that_a_carried_drive_was_moved_to(desk: Desk):
    volume = other_volume(desk.top)
    if volume is None:
        pytest.skip("there is no second volume")
    far = Path(os.path.realpath(volume)) / f"foldkeep-{os.getpid()}"
    far.mkdir()
    try:
        pair(desk)
        desk.proposed()
        desk.ask("fold", desk.docket, "--yes", "--method", "move", "--to", far)
        moved = far / "old/kite.jpg"
        facts = moved.stat()
        moved.write_bytes(b"o" * 40)
        os.utime(moved, ns=(facts.st_atime_ns, facts.st_mtime_ns))
        shutil.rmtree(desk.stock.parent)
        answer = desk.ask("unfold", "--from", desk.place)
        assert answer["restored"] == 0
        assert "changed since it was moved" in left(answer)[0][1]
        assert moved.read_bytes() == b"o" * 40
        assert (desk.place / ".foldkeep").exists(), "the journal stays while a file of it is not accounted for"
    finally:
        shutil.rmtree(far)


def test_a_symbolic_link_never_comes_to_lead_nowhere_without_a_word(desk: Desk):
    keeper, _ = pair(desk)
    desk.proposed()
    desk.ask("fold", desk.docket, "--yes", "--method", "symlink")
    third = desk.write("third.jpg", KITE)
    desk.proposed()
    edit(desk.docket, lambda row: {**row, "action": "fold" if row["path"] == str(keeper) else "keep"})
    why = f"the symbolic link {desk.place}/old/kite.jpg of run 1 leads to it; unfold that run first"
    assert left(desk.ask("fold", desk.docket, "--yes")) == [("kite.jpg", why)]
    keeper.unlink()
    answer = desk.ask("release", "1", "--yes")
    assert left(answer)[0][1].startswith("the link in its place leads to nothing now")
    assert desk.ask("unfold", "1")["restored"] == 1
    assert third.exists()


def test_a_sidecar_that_was_edited_while_its_name_is_taken_ends_in_no_loop(desk: Desk):
    pair(desk, "kite.pdf", "in/kite.pdf")
    catalog = desk.top / "list.csv"
    catalog.write_text(f"path,keywords\n{desk.place}/in/kite.pdf,hill\n")
    desk.proposed()
    edit(desk.docket, lambda row: {**row, "action": "fold" if "/in/" in row["path"] else "keep"})
    desk.ask("fold", desk.docket, "--yes", "--catalog", catalog)
    made = desk.place / "kite.xmp"
    points = Points(lambda *_: None)

    def takes_the_name(at: int, name: str, when: str) -> None:
        if name == "rename" and when == "after" and not made.exists():
            made.write_bytes(b"somebody's new one")

    points = Points(takes_the_name)
    edit_quietly(made, b"<!-- edited -->")
    with points.armed():
        desk.run("unfold", "1")
    assert any(b"edited" in path.read_bytes() for path in desk.place.glob("kite*.xmp"))
    assert not list(desk.place.glob(".foldkeep/*/files/out-*"))


def test_a_subtitle_kept_beside_becomes_no_other_film_s(desk: Desk):
    pair(desk, "kite.mp4", "in/kite.mp4")
    desk.write("in/kite.srt", b"of the spare")
    desk.write("kite.srt", b"of the keeper")
    desk.write("kite-2.mp4", b"another film")
    desk.proposed()
    edit(desk.docket, lambda row: {**row, "action": "fold" if "/in/" in row["path"] else "keep"})
    (beside,) = desk.ask("fold", desk.docket, "--yes")["beside"]
    assert beside["to"]["path"] == f"{desk.place}/kite-3.srt"


def test_no_cell_of_a_docket_lowers_a_check(desk: Desk):
    _, spare = pair(desk, "kite.mp4", "old/kite.mp4")
    desk.proposed()
    spare.write_bytes(b"K" * 40)
    os.utime(spare, (1_750_000_000, 1_750_000_000))
    edit(desk.docket, lambda row: {**row, "digest": "", "kind": "proxy" if row["action"] == "fold" else "video"})
    ((_, why),) = left(desk.ask("fold", desk.docket, "--yes"))
    assert why.startswith("nothing shows now that it can be made again")
    assert spare.exists()


@pytest.mark.parametrize("to", ["", "another volume"])
def test_a_file_of_the_far_future_goes_the_whole_way(desk: Desk, to: str):
    _, spare = pair(desk)
    for path in desk.place.glob("**/*.jpg"):
        os.utime(path, ns=(1, 12_000_000_000 * 10**9))
    if spare.stat().st_mtime_ns < 2**63:
        pytest.skip("the file system here knows no such dates")
    before = listing(desk.place)
    assert len(desk.proposed()) == 3
    assert desk.ask("scan")["problems"] == []
    (desk.top / to).mkdir(exist_ok=True)
    if to and not mounted("-t", "tmpfs", "tmpfs", str(desk.top / to)):
        pytest.skip("mounting is refused here")
    try:
        method = ("--method", "move", "--to", desk.top / to) if to else ()
        assert desk.ask("fold", desk.docket, "--yes", *method)["folded"] == 1
        assert desk.ask("unfold", "1")["restored"] == 1
    finally:
        if to:
            subprocess.run(["umount", desk.top / to], check=True)
    known = [{path: facts[:-1] for path, facts in each.items()} for each in (listing(desk.place), before)]
    assert known[0] == known[1]


def test_an_overlay_of_several_devices_is_scanned_and_folded(desk: Desk):
    lower = desk.top / "lower"
    lower.mkdir()
    if not mounted("-t", "tmpfs", "tmpfs", str(lower)):
        pytest.skip("mounting is refused here")
    for name in ("upper", "work"):
        (desk.top / name).mkdir()
    try:
        (lower / "old").mkdir()
        for name in ("kite.jpg", "old/kite.jpg"):
            (lower / name).write_bytes(KITE)
        options = f"lowerdir={lower},upperdir={desk.top}/upper,workdir={desk.top}/work"
        if not mounted("-t", "overlay", "overlay", "-o", options, str(desk.place)):
            pytest.skip("mounting is refused here")
        desk.proposed()
        assert len(desk.ask("duplicates")["sets"]) == 1
        answer = desk.ask("fold", desk.docket, "--yes")
        assert (answer["folded"], answer["left"]) == (1, [])
        assert desk.ask("unfold", "1")["restored"] == 1
        assert (desk.place / "old/kite.jpg").read_bytes() == KITE
    finally:
        for each in (desk.place, lower):
            subprocess.run(["umount", "-l", each], capture_output=True, check=False)


@pytest.mark.parametrize("method", ["fold", "move", "hard-link", "symlink"])
def test_folders_have_their_times_again_where_nobody_changed_them(desk: Desk, method):
    for name in ("a", "b", "c"):
        pair(desk, f"{name}.jpg", f"{name}/deep/{name}.jpg", name.encode() * 9)
        desk.write(f"{name}/deep/stays.txt", b"stays in " + name.encode())
    pair(desk, "d.jpg", "d/d.jpg", b"d" * 9)
    for folder in (*desk.place.glob("**/*/"), desk.place):
        os.utime(folder, (1_700_000_000, 1_700_000_000))
    before = state(desk.place.parent / "place")
    top = os.stat(desk.place)
    desk.proposed()
    words = ["--to", str(desk.top / "far")] if method == "move" else []
    (desk.top / "far").mkdir()
    desk.ask("fold", desk.docket, "--yes", "--method", method, *words)
    (desk.place / "c/deep/new.txt").write_bytes(b"somebody's")
    changed = (desk.place / "c/deep").stat().st_mtime_ns
    desk.ask("unfold", "1")
    assert (desk.place / "c/deep").stat().st_mtime_ns > changed
    (desk.place / "c/deep/new.txt").unlink()
    os.utime(desk.place / "c/deep", (1_700_000_000, 1_700_000_000))
    assert state(desk.place) == before
    assert os.stat(desk.place).st_mtime_ns == top.st_mtime_ns


@pytest.mark.parametrize("form", ["folder", "tar"])
def test_archive_and_restore_without_a_rename_that_refuses(desk: Desk, monkeypatch, form):
    import foldkeep.storage.local.changes.names as names

    monkeypatch.setattr(names, "_libc_rename", lambda: None)
    desk.write("edit/cut.edl", b"TITLE: cut\n001  AX  V  C  0 1 0 1\n* SOURCE FILE: a.mp4\n")
    desk.write("edit/a.mp4", KITE)
    desk.ask("scan", desk.place)
    (desk.top / "shelf").mkdir()
    line = ["archive", desk.place / "edit", "--to", desk.top / "shelf", "--format", form]
    (made,) = desk.ask(*line)["packages"]
    (again,) = desk.ask(*line)["packages"]
    assert again["path"] != made["path"]
    (desk.top / "back").mkdir()
    for name in ("edit", "edit-2"):
        answer = desk.ask("restore", made["path"], "--to", desk.top / "back")
        assert Path(answer["folder"]["path"]).name == name
        assert (Path(answer["folder"]["path"]) / "a.mp4").read_bytes() == KITE


@pytest.mark.parametrize("strange", ["journal-3.jsonl", "a step"])
def test_a_journal_of_a_later_version_is_refused_and_left_whole(desk: Desk, strange):
    pair(desk)
    desk.proposed()
    desk.ask("fold", desk.docket, "--yes")
    (run,) = [path for path in desk.place.glob(".foldkeep/*") if path.is_dir()]
    if strange == "a step":
        with (run / "journal-2.jsonl").open("r+b") as journal:
            end = len(journal.read().rstrip())
            journal.seek(end)
            journal.write(b'\n{"do":"fly","n":1}\n')
    else:
        (run / "journal-2.jsonl").rename(run / strange)
    before = listing(desk.place), sorted(path.name for path in run.glob("**/*"))
    assert (run / "files/000001.jpg").exists()
    for words in (["unfold", "1"], ["unfold", "--from", str(desk.place)], ["release", "1", "--yes"]):
        answer = desk.run(*words, "--json")
        assert answer.status == 1
        assert "its journal is of a later version" in answer.out
        assert (listing(desk.place), sorted(path.name for path in run.glob("**/*"))) == before


def test_another_program_at_any_point_of_a_restore_keeps_what_it_made(desk: Desk):
    desk.write("edit/cut.edl", b"TITLE: cut\n001  AX  V  C  0 1 0 1\n* SOURCE FILE: a.mp4\n")
    desk.write("edit/a.mp4", KITE)
    desk.ask("scan", desk.place)
    (desk.top / "shelf").mkdir()
    (made,) = desk.ask("archive", desk.place / "edit", "--to", desk.top / "shelf")["packages"]
    back = desk.top / "back"
    points = Points(lambda *_: None)
    number = 0
    while number <= points.count:
        number += 1
        shutil.rmtree(back, ignore_errors=True)
        back.mkdir()

        def makes_the_names(at: int, *_: str, wanted: int = number) -> None:
            if at == wanted:
                for name in ("edit", "edit-2"):
                    with contextlib.suppress(FileExistsError):
                        (back / name).mkdir()
                        (back / name / "own.txt").write_bytes(name.encode())

        points = Points(makes_the_names)
        with points.armed():
            answer = desk.run("restore", made["path"], "--to", back, "--json")
        assert answer.status == 0, answer
        assert (Path(answer.json["folder"]["path"]) / "a.mp4").read_bytes() == KITE
        assert all(path.read_bytes() == path.parent.name.encode() for path in back.glob("*/own.txt"))
        assert sorted(path.name for path in back.iterdir())[-1].startswith("edit")
    assert number > 20


@pytest.mark.parametrize("every", [17, pytest.param(1, marks=pytest.mark.long)])
@pytest.mark.parametrize("which", ["place", "target"])
def test_a_drive_that_is_taken_away_at_any_point_loses_nothing(tmp_path, which, every):
    desk = Desk(tmp_path)
    drive = desk.place if which == "place" else tmp_path / "far"
    with pluggable(tmp_path / "drive", drive) as (unplug, plug):
        (tmp_path / "far").mkdir(exist_ok=True)
        for number in range(2):
            pair(desk, f"{number}.jpg", f"old/{number}.jpg", b"%d" % number * 99)
        before = {path: facts[:3] for path, facts in listing(desk.place).items()}
        desk.proposed()
        words = ["--method", "move", "--to", tmp_path / "far"] if which == "target" else []
        points, at = Points(lambda *_: None), 0
        while at <= points.count:
            at += every
            points = Points(lambda number, *_, wanted=at: unplug() if number == wanted else None, looks=True)
            with points.armed():
                answer = desk.run("fold", desk.docket, "--yes", *words)
            assert answer.status in (0, 1, 2), answer
            if at <= points.count:
                plug()
            runs = desk.ask("ledger")["runs"]
            if runs:
                desk.run("unfold", str(runs[-1]["run"]))
            now = {path: facts[:3] for path, facts in listing(desk.place).items()}
            if now != before and which == "target" and any("plan.py" in site[0] for site in points.site[at - 1 :]):
                # Taken away before anybody looked, it was a plain folder on the place's own volume, and hides that now.
                unplug()
                desk.run("unfold", str(runs[-1]["run"]))
                now = {path: facts[:3] for path, facts in listing(desk.place).items()}
                plug()
            assert now == before, points.site[at - 1 : at]
            assert not [path for path in (tmp_path / "far").glob("**/*") if path.is_file()], points.site[at - 1 : at]
