"""What `fold` can do with a spare, what goes along with it, and how each of that comes back."""

import json
import os
import subprocess
import tempfile
from pathlib import Path

import pytest

from harness.desks import PROGRAM, Desk, edit, left, listing, other_volume, state
from harness.drives import attached_drive

pytestmark = pytest.mark.on_disk


@pytest.mark.more
@pytest.mark.parametrize("method", ["fold", "move", "move far", "hard-link", "symlink", "bin", "delete"])
def test_every_method_on_the_sample_library(sample_desk: Desk, method, monkeypatch):
    volume = other_volume(sample_desk.top)
    if volume is None and method == "move far":
        pytest.skip("there is no second volume")
    desk = sample_desk
    home = desk.top / "home"
    into = Path(tempfile.mkdtemp(dir=volume if method == "move far" else desk.top))
    desk.proposed()
    before, files = state(desk.place), listing(desk.place)
    proposed = desk.ask("keep", "-o", desk.top / "again.csv")
    spares, both = int(proposed["spares"]), int(proposed["both_stay"])
    words = ["--method", *(["move", "--to", str(into)] if method.startswith("move") else [method])]
    line = [*PROGRAM, "fold", desk.docket, *words, "--yes", "--for-good", "--json"]
    variables = {**os.environ, "FOLDKEEP_STOCK": str(desk.stock), "XDG_DATA_HOME": str(home)}
    done = subprocess.run(line, capture_output=True, text=True, env=variables, check=False)
    assert done.returncode == 0, done.stderr
    answer = json.loads(done.stdout)
    assert (answer["folded"] - answer["along"], answer["left"]) == (spares, [])
    now = listing(desk.place)
    # What is said of one spare is written into a sidecar, and the two that said it are put away.
    merged = [os.fsencode(each["path"]) for each in answer["merged"]]
    words = {*merged, os.fsencode(desk.place / "from the desktop/WKD_0005 (1).xmp")} if merged else set()
    assert {facts[0] for path, facts in now.items() if path not in words} == {
        facts[0] for path, facts in files.items() if path not in words
    }, "every content is there"
    assert answer["emptied_folders"] == (0 if "link" in method else 4)
    # What the stock says of links and moved files is true without a scan.
    known = desk.ask("duplicates")["totals"]
    assert desk.ask("scan")["read_bytes"] == 0
    assert known == desk.ask("duplicates")["totals"]
    if method == "symlink":
        assert sum(path.is_symlink() for path in desk.place.glob("**/*")) == spares
    if method == "hard-link":
        assert len({facts[3] for facts in now.values()}) == len({facts[3] for facts in files.values()}) - spares
    if method in ("bin", "delete"):
        gone = list(home.glob("Trash/files/*")) if method == "bin" else []
        assert len(gone) == (spares if method == "bin" else 0)
        assert "Run 1 cannot be unfolded" in desk.run("ledger").out
        assert desk.ask("ledger")["runs"][0]["comes_back"] is False
        assert {
            os.fsencode(each["path"])
            for each in desk.ask("ledger", "1")["runs"][0]["details"]
            if each["state"] == "waiting"
        } == words
        return
    assert f"{spares + len(words)} files" in desk.run("ledger", "--verify").out
    assert desk.ask("unfold", "--last")["restored"] == spares + len(words)
    after = state(desk.place)
    if method == "move far":
        before, after = ({path: facts[:3] for path, facts in each.items()} for each in (before, after))
    changed = {os.fsdecode(path) for path in before.keys() | after.keys() if before.get(path) != after.get(path)}
    assert all(os.path.isdir(path) for path in changed), "of folders that stayed, the time may be another"
    if "link" not in method:
        # Those that went are as they were, to the nanosecond.
        assert not [path for path in changed if path.endswith(("imported", "imported again", "saturday", "media"))]
    assert list(into.iterdir()) == []
    into.rmdir()
    assert desk.ask("scan")["problems"] == []
    assert desk.ask("duplicates")["totals"]["spares"] == spares + both


def test_companions_go_along_only_if_the_keeper_has_them_too(desk: Desk):
    for folder, mark in (("in", ""), ("cards/old", " (1)")):
        desk.write(f"{folder}/kite{mark}.arw", b"raw" * 40)
        desk.write(f"{folder}/kite{mark}.jpg", b"jpeg" * 40)
        desk.write(f"{folder}/kite{mark}.arw.xmp", b"both say so")
    desk.write("cards/old/kite (1).xmp", b"only the spare says so")
    desk.write("cards/old/kite (1).en.srt", b"a caption")
    desk.write("in/kite.xmp", b"the keeper says something else")
    desk.write("cards/old/other.xmp", b"of another")
    before = state(desk.place)
    desk.proposed()
    edit(desk.docket, lambda row: row if row["path"].endswith(".arw") else None)
    shown = desk.run("fold", desk.docket, answer="n\n").out
    assert "2 companions of them go along." in shown
    assert f"{desk.place}/cards/old/kite (1).xmp → {desk.place}/in/kite-2.xmp" in shown
    answer = desk.ask("fold", desk.docket, "--yes")
    assert (answer["folded"], answer["along"], answer["left"]) == (5, 4, [])
    beside = {os.path.basename(each["from"]["path"]): os.path.basename(each["to"]["path"]) for each in answer["beside"]}
    assert beside == {"kite (1).xmp": "kite-2.xmp", "kite (1).en.srt": "kite.en.srt"}
    assert os.listdir(desk.place / "cards/old") == ["other.xmp"]
    assert (desk.place / "in/kite-2.xmp").read_bytes() == b"only the spare says so"
    assert (desk.place / "in/kite.xmp").read_bytes() == b"the keeper says something else"
    assert "moved to:" in desk.run("ledger", "1").out
    assert desk.ask("unfold", "1")["restored"] == 5
    assert {path: facts for path, facts in state(desk.place).items() if len(facts) == 4} == {
        path: facts for path, facts in before.items() if len(facts) == 4
    }


def test_a_companion_stays_where_its_owner_stays_and_where_the_docket_says_so(desk: Desk):
    for folder in ("a", "b"):
        desk.write(f"{folder}/kite.jpg", b"k" * 40)
        desk.write(f"{folder}/kite.xmp", b"both say so")
    for number in range(3):
        desk.write(f"a/{number}.jpg", b"%d" % number * 9)
    desk.write("b/kite.mp4", b"a clip of the same name, only here")
    lines = desk.proposed()
    assert [line.split(",")[1] for line in lines if "b/kite.xmp" in line] == ["leave"]
    assert desk.ask("fold", desk.docket, "--yes")["folded"] == 1
    assert (desk.place / "b/kite.xmp").exists()
    desk.ask("unfold", "1")
    desk.write("b/kite.jpg", b"K" * 40)  # the master is left now, so what would go along stays too
    (desk.place / "b/kite.mp4").unlink()
    edit(desk.docket, lambda row: None if "xmp" in row["path"] else row)
    answer = desk.ask("fold", desk.docket, "--yes")
    assert left(answer) == [
        ("kite.jpg", "its content is not what the docket says; scan again"),
        ("kite.xmp", "stays with kite.jpg"),
    ]


def test_a_folder_with_litter_is_empty_only_if_the_settings_say_so(desk: Desk):
    desk.write("kite.jpg", b"k" * 40)
    desk.write("old/kite (1).jpg", b"k" * 40)
    desk.write("old/Thumbs.db", b"litter")
    config = desk.top / "settings.toml"
    before = state(desk.place)
    desk.proposed()
    assert desk.ask("fold", desk.docket, "--yes")["emptied_folders"] == 0
    assert (desk.place / "old/Thumbs.db").exists()
    desk.ask("unfold", "1")
    config.write_text('[fold]\nlitter = ["Thumbs.db"]\n')
    for words, gone in ((["--keep-empty-folders"], False), ([], True)):
        answer = desk.ask("fold", desk.docket, "--yes", "--config", config, *words)
        assert (answer["emptied_folders"], (desk.place / "old").exists()) == (int(gone), not gone)
        desk.ask("unfold", "--last")
    assert {path: facts for path, facts in state(desk.place).items() if len(facts) == 4} == {
        path: facts for path, facts in before.items() if len(facts) == 4
    }


def test_unfold_takes_a_file_a_folder_or_a_glob(desk: Desk):
    for name in ("a/1.jpg", "a/2.jpg", "b/3.jpg", "b/4.png"):
        desk.write(name, name.encode() * 40)
        desk.write(f"spares/{name}", name.encode() * 40)
    desk.proposed()
    assert desk.ask("fold", desk.docket, "--yes")["folded"] == 4
    for what, number in (("*.png", 1), (str(desk.place / "spares/a/1.jpg"), 1), (str(desk.place / "spares"), 2)):
        assert desk.ask("unfold", "1", "--path", what)["restored"] == number, what
    assert "run 1 folded nothing from *.gif; see foldkeep ledger 1" in desk.run("unfold", "1", "--path", "*.gif").err
    # Without a run, the last one that has such a file in its fold.
    desk.proposed()
    edit(desk.docket, lambda row: {**row, "action": "leave"} if row["path"].endswith(".png") else row)
    desk.ask("fold", desk.docket, "--yes")
    desk.proposed()
    desk.ask("fold", desk.docket, "--yes")
    assert desk.ask("unfold", "--path", desk.place / "spares/b")["run"] == 3
    assert desk.ask("unfold", "--path", desk.place / "spares/b")["run"] == 2
    assert "nothing from *.gif waits in a fold" in desk.run("unfold", "--path", "*.gif").err


def test_what_changed_in_the_fold_or_where_it_was_moved_is_told(desk: Desk):
    desk.write("kite.jpg", b"k" * 40)
    desk.write("old/kite.jpg", b"k" * 40)
    desk.proposed()
    far = desk.top / "far"
    far.mkdir()
    desk.ask("fold", desk.docket, "--yes", "--method", "move", "--to", far)
    assert desk.ask("ledger", "--verify")["verified"] == 1
    (far / "old/kite.jpg").write_bytes(b"edited there")
    answer = desk.run("ledger", "--verify", "--json")
    assert (answer.status, [p["reason"] for p in answer.json["problems"]]) == (
        1,
        ["has fewer bytes than when it was folded"],
    )
    assert left(desk.ask("unfold", "1"))[0][1].startswith(f"changed since it was moved to {far}/old/kite.jpg")
    assert (far / "old/kite.jpg").read_bytes() == b"edited there"


@pytest.mark.parametrize("method", ["hard-link", "symlink"])
def test_unfold_keeps_what_somebody_put_in_the_place_of_a_link(desk: Desk, method):
    desk.write("kite.jpg", b"k" * 40)
    spare = desk.write("old/kite.jpg", b"k" * 40)
    desk.proposed()
    desk.ask("fold", desk.docket, "--yes", "--method", method)
    spare.unlink()
    desk.write("old/kite.jpg", b"somebody's own")
    answer = desk.ask("unfold", "1")
    assert [os.path.basename(each["to"]["path"]) for each in answer["renamed"]] == ["kite-2.jpg"]
    assert spare.read_bytes() == b"somebody's own"
    assert (desk.place / "old/kite-2.jpg").read_bytes() == b"k" * 40
    assert not (desk.place / ".foldkeep").exists()


def test_a_clone_keeps_the_spare_s_own_time_and_mode_and_takes_no_space(tmp_path: Path):
    with attached_drive(tmp_path, "xfs") as (_, point):
        desk = Desk(tmp_path)
        desk.place = point
        desk.write("kite.mov", b"k" * 500_000)
        spare = desk.write("old/kite.mov", b"k" * 500_000, 1_760_000_000)
        spare.chmod(0o640)
        for path in (spare, point / "kite.mov"):  # what is not on the disk yet has no blocks that could be shared
            with path.open("rb") as file:
                os.fsync(file.fileno())
        before = listing(point)
        desk.proposed()
        assert desk.ask("fold", desk.docket, "--yes", "--method", "clone")["folded"] == 1
        assert {path: facts[:3] for path, facts in listing(point).items()} == {
            path: facts[:3] for path, facts in before.items()
        }
        assert desk.ask("release", "1", "--yes")["released"] == 1
        desk.ask("scan")
        assert desk.ask("duplicates")["totals"]["reclaimable"] == 0
        desk.write("kite.mov", b"K" * 500_000)
        assert spare.read_bytes() == b"k" * 500_000, "what is written to the keeper does not reach its clone"


def test_volumes_that_cannot_share_a_file_refuse_the_method_before_anything(tmp_path: Path):
    with attached_drive(tmp_path, "ext4") as (_, point):
        desk = Desk(tmp_path)
        desk.write("kite.jpg", b"k" * 40)
        desk.run("scan", desk.place)
        desk.place = point
        desk.write("kite (1).jpg", b"k" * 40)
        desk.proposed()
        for method in ("hard-link", "clone"):
            answer = desk.run("fold", desk.docket, "--yes", "--method", method)
            assert (answer.status, answer.err.count("\n")) == (2, 1)
            assert "lie on different volumes, which cannot share a file; choose another --method" in answer.err
        desk.write("kite.jpg", b"k" * 40)
        desk.proposed()
        edit(desk.docket, lambda row: {**row, "action": row["action"]} if str(point) in row["path"] else None)
        edit(desk.docket, lambda row: {**row, "action": "fold" if "(1)" in row["path"] else "keep"})
        answer = desk.run("fold", desk.docket, "--yes", "--method", "clone")
        assert "cannot make clones: operation not supported; choose another --method; nothing was changed" in answer.err
        assert desk.ask("ledger")["runs"] == []
        assert not (point / ".foldkeep").exists()


def test_a_sidecar_kept_beside_the_keeper_comes_back_after_a_release(desk: Desk):
    desk.write("kite.jpg", b"k" * 40)
    desk.write("old/kite.jpg", b"k" * 40)
    desk.write("old/kite.xmp", b"words")
    desk.proposed()
    edit(desk.docket, lambda row: {**row, "action": "fold" if "/old/" in row["path"] else "keep"})
    desk.ask("fold", desk.docket, "--yes")
    assert (desk.place / "kite.xmp").read_bytes() == b"words"
    assert desk.ask("release", "1", "--yes")["released"] == 1
    assert not (desk.place / ".foldkeep").exists()
    assert desk.ask("unfold", "1")["restored"] == 1
    assert (desk.place / "old/kite.xmp").read_bytes() == b"words"
    assert not (desk.place / ".foldkeep").exists()


def test_only_litter_is_litter(desk: Desk):
    desk.write("kite.jpg", b"k" * 40)
    desk.write("old/kite (1).jpg", b"k" * 40)
    desk.write("old/the only one.jpg", b"precious")
    config = desk.top / "settings.toml"
    config.write_text('[fold]\nlitter = ["*"]\n')
    desk.proposed()
    assert desk.ask("fold", desk.docket, "--yes", "--config", config)["emptied_folders"] == 0
    assert (desk.place / "old/the only one.jpg").read_bytes() == b"precious"
