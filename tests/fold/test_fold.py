"""Folding, unfolding, releasing: nothing is lost, nothing is overwritten, everything comes back."""

import os
import sqlite3
from contextlib import closing

import pytest
from hypothesis import given
from hypothesis import strategies as st

import foldkeep.storage.local.changes.names
from foldkeep.fold.journal import Journal, Released, Releasing, absolute_path, relative_name
from foldkeep.fold.methods import method as methods
from foldkeep.fold.runs import folding
from foldkeep.model.names import file_uri
from foldkeep.stock import Stock, schema
from harness.desks import Desk, edit, edit_quietly, left, listing, pair


def test_fold_and_unfold_leave_the_sample_library_as_it_was(sample_desk: Desk):
    before = listing(sample_desk.place)
    sample_desk.proposed()
    proposed = sample_desk.ask("keep", "-o", sample_desk.top / "again.csv")
    assert (sample_desk.top / "again.csv").read_bytes() == sample_desk.docket.read_bytes()
    folded = sample_desk.ask("fold", sample_desk.docket, "--yes")
    assert folded["folded"] - folded["along"] == proposed["spares"] > 30
    assert folded["left"] == []
    now = listing(sample_desk.place)
    assert len(now) == len(before) - folded["folded"]
    (written,) = [os.fsencode(each["path"]) for each in folded["merged"]]
    assert {now[path][0] for path in now if path != written} == {
        digest for path, (digest, *_) in before.items() if path != written and b"/WKD_0005 (1).xmp" not in path
    }
    assert sample_desk.ask("duplicates")["totals"]["sets"] == proposed["both_stay"] == 1  # an edit uses one of them
    assert sample_desk.ask("unfold", "--last")["restored"] == folded["folded"] + len(folded["merged"])
    assert listing(sample_desk.place) == before
    assert not (sample_desk.place / ".foldkeep").exists()
    # The stock knows the files again without reading them, but for the sidecar.
    assert sample_desk.ask("duplicates")["totals"]["sets"] == proposed["sets"]
    assert sample_desk.ask("scan")["read_bytes"] == os.path.getsize(written)


def test_what_changed_since_the_scan_is_left_with_the_reason(desk: Desk):
    for name in "abdf":
        desk.write(f"{name}/kite.jpg", name.encode() * 40)
        desk.write(f"{name}/kite copy.jpg", name.encode() * 40)
    desk.proposed()
    desk.write("a/kite copy.jpg", b"A" * 40, modified=1_760_000_000)
    desk.write("b/kite copy.jpg", b"longer" * 40)
    desk.write("d/kite.jpg", b"D" * 40)  # same size and time: only reading tells
    before = listing(desk.place)
    answer = desk.run("fold", desk.docket, "--yes", "--json")
    assert answer.status == 1
    assert answer.json["folded"] == 1
    reasons = {entry["path"].split("/")[-2]: entry["reason"] for entry in answer.json["left"]}
    assert reasons == {
        "a": "changed since the scan: modified 2025-10-09T08:53:20Z",
        "b": "changed since the scan: 240 bytes now, 40 then",
        "d": f"its keeper has another content now: {desk.place}/d/kite.jpg",
    }
    desk.ask("unfold", "--last")
    assert listing(desk.place) == before


def test_the_file_that_changed_is_the_one_that_is_named(desk: Desk):
    """Both look as they did: only the docket's digest tells which of the two somebody wrote into."""
    for changed, reason in (("spare", "its content is not what the docket says"), ("keeper", "its keeper has another")):
        pair(desk)
        desk.proposed()
        path = {"spare": desk.place / "old/kite.jpg", "keeper": desk.place / "kite.jpg"}[changed]
        edit_quietly(path, b"K" * len(path.read_bytes()))
        assert reason in left(desk.ask("fold", desk.docket, "--yes"))[0][1]
        edit(desk.docket, lambda row: {**row, "digest": ""})
        assert "it and its keeper differ now" in left(desk.ask("fold", desk.docket, "--yes"))[0][1]


def test_a_docket_is_checked_whole_before_anything_moves(desk: Desk):
    desk.write("kite.jpg", b"k" * 40)
    spare = desk.write("kite copy.jpg", b"k" * 40)
    outside = desk.top / "outside.jpg"
    outside.write_bytes(b"k" * 40)
    lines = desk.proposed()
    good = desk.docket.read_text()
    up = file_uri(os.fsencode(desk.place / "x")) + "/../../outside.jpg"
    cases = [
        (good.replace(",keep,", ",fold,"), "keeps no copy in set"),
        (good.replace(file_uri(os.fsencode(spare)), file_uri(os.fsencode(outside))), "lies in no place"),
        (good.replace(file_uri(os.fsencode(spare)), up), "cannot be meant"),
        (good + lines[2].replace(",fold,", ",keep,") + "\r\n", "both staying and going"),
        (good.replace("blake3:", "md5:"), "not a digest"),
        (good.replace(",40,", ",forty,"), "'forty' is not a number of bytes"),
        (good.replace(",fold,", ",burn,"), "action 'burn' is none of keep, fold, leave"),
        ("kites,are,up\r\n1,2,3\r\n", "the header has no column 'set'"),
        ("", "the header has no column 'set'"),
        (b"\xff\xfe\x00\x01", "it is not UTF-8 text"),
    ]
    for text, why in cases:
        desk.docket.write_bytes(text if isinstance(text, bytes) else text.encode())
        answer = desk.run("fold", desk.docket, "--yes")
        assert (answer.status, answer.out, answer.err.count("\n")) == (2, "", 1), answer
        assert why in answer.err
    assert spare.exists()
    assert desk.ask("ledger")["runs"] == []


def gone_keeper(desk: Desk) -> None:
    (desk.place / "kite.jpg").unlink()


def linked_keeper(desk: Desk) -> None:
    (desk.place / "kite.jpg").unlink()
    os.symlink("in/kite copy.jpg", desk.place / "kite.jpg")


def linked_spare(desk: Desk) -> None:
    (desk.place / "in/kite copy.jpg").unlink()
    os.symlink("../kite.jpg", desk.place / "in/kite copy.jpg")


def linked_folder(desk: Desk) -> None:
    (desk.place / "in").rename(desk.top / "elsewhere")
    os.symlink(desk.top / "elsewhere", desk.place / "in")


def drive_away(desk: Desk) -> None:
    desk.place.rename(desk.top / "unplugged")


@pytest.mark.parametrize(
    ("meddle", "why"),
    [
        (gone_keeper, "that is there now: PLACE/kite.jpg is gone or away; scan"),
        (linked_keeper, "that is there now: PLACE/kite.jpg is gone or away; scan"),
        (linked_spare, "names PLACE/in/kite copy.jpg, which is a symbolic link now"),
        (linked_folder, "names PLACE/in/kite copy.jpg, which cannot be reached without following a link"),
        (drive_away, "the drive of PLACE is away"),
    ],
)
def test_a_docket_that_the_disk_contradicts_is_refused_whole(desk: Desk, meddle, why):
    desk.write("kite.jpg", b"k" * 40)
    desk.write("in/kite copy.jpg", b"k" * 40)
    desk.write("other.jpg", b"o" * 40)
    desk.write("other copy.jpg", b"o" * 40)
    desk.proposed()
    meddle(desk)
    before = sorted(desk.top.glob("**/*"))
    answer = desk.run("fold", desk.docket, "--yes")
    assert (answer.status, answer.out, answer.err.count("\n")) == (2, "", 1), answer
    assert why.replace("PLACE", str(desk.place)) in answer.err
    assert sorted(desk.top.glob("**/*")) == before


def test_none_stays_only_if_that_is_said(desk: Desk):
    desk.write("kite.jpg", b"k" * 40)
    desk.write("kite copy.jpg", b"k" * 40)
    desk.write("other.jpg", b"o" * 40)
    before = listing(desk.place)
    desk.proposed()
    edit(desk.docket, lambda row: {**row, "action": "fold"})
    assert "keeps no copy in set s" in desk.run("fold", desk.docket, "--yes").err
    answer = desk.ask("fold", desk.docket, "--yes", "--allow-last-copy")
    assert (answer["folded"], answer["left"]) == (2, [])
    assert left(desk.ask("release", "1", "--yes"))[0][1].startswith("no copy of it outside the fold")
    assert desk.ask("unfold", "1")["restored"] == 2
    assert listing(desk.place) == before
    desk.write("kite.jpg", b"K" * 40)
    answer = desk.ask("fold", desk.docket, "--yes", "--allow-last-copy")
    assert left(answer) == [("kite.jpg", "its content is not what the docket says; scan again")]


def test_a_spreadsheet_may_save_the_docket_in_its_own_way(desk: Desk):
    desk.write(b"\xff=kite\n.jpg", b"k" * 40)
    desk.write(b"\xff=kite\n (1).jpg", b"k" * 40)
    rows = [line.split(",") for line in desk.proposed()]
    desk.docket.write_text("\ufeff" + "\n".join(";".join(reversed(row)) for row in rows) + "\n\n")
    assert desk.ask("fold", desk.docket, "--yes")["folded"] == 1
    assert sorted(os.listdir(os.fsencode(desk.place))) == [b".foldkeep", b"\xff=kite\n.jpg"]


def test_hard_links_and_aliases_never_vouch_for_each_other(desk: Desk):
    one, two = desk.write("in/one.jpg", b"k" * 40), desk.write("in/two.jpg", b"k" * 40)
    alias = desk.top / "alias"
    alias.symlink_to(desk.place / "in")
    desk.proposed()
    good = desk.docket.read_text()
    desk.docket.write_text(good.replace(file_uri(os.fsencode(one)), file_uri(os.fsencode(alias / "one.jpg"))))
    assert "a file that lies in no place" in desk.run("fold", desk.docket, "--yes").err
    desk.docket.write_text(good)
    two.unlink()
    os.link(one, two)
    assert left(desk.ask("fold", desk.docket, "--yes")) == [
        ("two.jpg", f"the same file as its keeper (hard link): {one}")
    ]


def test_unfold_never_overwrites_and_makes_folders_again(desk: Desk):
    desk.write("kite.jpg", b"k" * 40)
    desk.write("deep/er/kite copy.jpg", b"k" * 40)
    desk.write("kite (1).jpg", b"k" * 40)
    desk.proposed()
    assert desk.ask("fold", desk.docket, "--yes")["folded"] == 2
    assert not (desk.place / "deep").exists()
    desk.write("kite (1).jpg", b"new")
    desk.write("kite (1)-2.jpg", b"newer")
    answer = desk.ask("unfold", "1", "--path", desk.place / "kite (1).jpg")
    assert [os.path.basename(entry["to"]["path"]) for entry in answer["renamed"]] == ["kite (1)-3.jpg"]
    assert "kite (1)-3.jpg" in desk.run("ledger", "1").out
    assert desk.ask("unfold", "1")["restored"] == 1
    assert (desk.place / "deep/er/kite copy.jpg").read_bytes() == b"k" * 40
    assert (desk.place / "kite (1).jpg").read_bytes() == b"new"
    assert desk.run("unfold", "--last").err == "foldkeep unfold: nothing waits in the fold; see foldkeep ledger\n"


def test_release_frees_space_and_never_takes_the_last_copy(desk: Desk):
    for name in "ab":
        desk.write(f"{name}.jpg", name.encode() * 40)
        desk.write(f"{name} copy.jpg", name.encode() * 40)
    desk.proposed()
    desk.ask("fold", desk.docket, "--yes")
    (desk.place / "b.jpg").unlink()
    assert desk.run("release", "1", answer="n\n").err.endswith("Nothing was changed.\n")
    assert desk.run("release", "1").status == 2, "nobody answered"
    assert desk.run("release", "--older-than", "1d", "--yes", "--json").json["released"] == 0
    answer = desk.run("release", "1", "--json", answer="y\n")
    assert (answer.status, answer.json["released"], answer.json["bytes"]) == (1, 1, 40)
    assert left(answer.json) == [("b copy.jpg", "no copy of it outside the fold can be read now; unfold it to keep it")]
    states = desk.ask("ledger")["runs"][0]["files"]
    assert (states["released"], states["waiting"]) == (1, 1)
    assert desk.ask("release", "1", "--yes", "--allow-last-copy")["released"] == 1
    assert [path.name for path in desk.place.iterdir()] == ["a.jpg"]


def test_a_full_disk_moves_nothing_unwritten(desk: Desk, monkeypatch):
    desk.write("kite.jpg", b"k" * 40)
    desk.write("kite copy.jpg", b"k" * 40)
    desk.proposed()
    real = os.pwrite

    def full(descriptor, data, at):
        if b'"do":"fold"' in bytes(data):
            raise OSError(28, "No space left on device")
        return real(descriptor, data, at)

    monkeypatch.setattr(os, "pwrite", full)
    answer = desk.ask("fold", desk.docket, "--yes")
    assert left(answer) == [("kite copy.jpg", "its fold cannot be written: no space left on device")]
    assert len(listing(desk.place)) == 2


def test_without_a_rename_that_refuses_a_hard_link_moves(desk: Desk, monkeypatch):
    monkeypatch.setattr(foldkeep.storage.local.changes.names, "_libc_rename", lambda: None)
    desk.write("kite.jpg", b"k" * 40)
    desk.write("kite copy.jpg", b"k" * 40)
    before = listing(desk.place)
    desk.proposed()
    desk.ask("fold", desk.docket, "--yes")
    desk.write("kite copy.jpg", b"taken")
    assert len(desk.ask("unfold", "1")["renamed"]) == 1
    (desk.place / "kite copy-2.jpg").replace(desk.place / "kite copy.jpg")
    assert listing(desk.place) == before


def test_the_second_fold_keep_is_told_who_holds_the_stock(desk: Desk, monkeypatch):
    monkeypatch.setattr("foldkeep.stock.stock.LOCK_WAIT_SECONDS", 0.1)
    desk.ask("scan", desk.place)
    with Stock.open(str(desk.stock)) as stock, stock.hold("unfold"):
        answer = desk.run("scan", desk.place)
    assert (answer.status, answer.err) == (
        2,
        f"foldkeep scan: the stock {desk.stock} is held by foldkeep unfold, process {os.getpid()};"
        " wait until that is done, or stop it\n",
    )


def swap_for_link(desk: Desk) -> None:
    (desk.place / "in/kite copy.jpg").rename(desk.top / "taken.jpg")
    os.symlink(desk.place / "kite.jpg", desk.place / "in/kite copy.jpg")


def swap_folder_for_link(desk: Desk) -> None:
    (desk.place / "in").rename(desk.top / "taken")
    os.symlink(desk.top / "taken", desk.place / "in")


def rewrite_spare(desk: Desk) -> None:
    desk.write("in/kite copy.jpg", b"new" * 30)


def replace_keeper(desk: Desk) -> None:
    (desk.place / "kite.jpg").unlink()
    desk.write("kite.jpg", b"K" * 40)


@pytest.mark.parametrize(
    ("meddle", "why"),
    [
        (swap_for_link, "changed while it was folded"),
        (rewrite_spare, "changed while it was folded"),
        (replace_keeper, "its keeper changed or went away"),
        (swap_folder_for_link, None),
    ],
)
def test_what_is_exchanged_between_look_and_move_is_left(desk: Desk, monkeypatch, meddle, why):
    keeper = desk.write("kite.jpg", b"k" * 40)
    desk.write("in/kite copy.jpg", b"k" * 40)
    desk.proposed()
    real = folding.intention

    def meddled(*args):
        meddle(desk)
        return real(*args)

    monkeypatch.setattr(folding, "intention", meddled)
    answer = desk.ask("fold", desk.docket, "--yes")
    if why:
        assert left(answer) == [("kite copy.jpg", why)]
        assert not (desk.place / ".foldkeep").exists()
    else:
        # The file was in the folder that was looked into, wherever that is now, and is safe in the fold.
        assert answer["folded"] == 1
        (desk.place / "in").unlink()
        assert desk.ask("unfold", "--last")["restored"] == 1
        assert (desk.place / "in/kite copy.jpg").read_bytes() == keeper.read_bytes()


def test_a_file_that_takes_the_place_of_the_spare_at_the_last_moment_is_put_back(desk: Desk, monkeypatch):
    desk.write("kite.jpg", b"k" * 40)
    spare = desk.write("kite copy.jpg", b"k" * 40)
    desk.proposed()
    real = methods.move

    def meddled(*args, **named):
        monkeypatch.setattr(methods, "move", real)
        spare.rename(desk.top / "taken.jpg")
        spare.write_bytes(b"only here")
        real(*args, **named)

    monkeypatch.setattr(methods, "move", meddled)
    assert left(desk.ask("fold", desk.docket, "--yes")) == [("kite copy.jpg", "changed while it was folded")]
    assert spare.read_bytes() == b"only here"


def test_a_fold_taken_away_by_hand_is_told_and_found_again(desk: Desk):
    desk.write("kite.jpg", b"k" * 40)
    desk.write("kite copy.jpg", b"k" * 40)
    desk.write("kite (1).jpg", b"k" * 40)
    desk.proposed()
    desk.ask("fold", desk.docket, "--yes")
    (slot,) = desk.place.glob(".foldkeep/*/files/000001.jpg")
    (journal,) = desk.place.glob(".foldkeep/*/journal-2.jsonl")
    slot.rename(desk.top / "slot.jpg")
    with journal.open("ab") as stream:
        odd = '{"do":"unfold","n":1,"to":"../../up"}', '{"do":"fold","n":1,"keeper":7}', '{"do":"release","n":1e999}'
        for strange in (*odd, "[]", '"journal"', "\xff"):
            stream.write(strange.encode("latin-1") + b"\n")
        stream.write(b'{"do":"fold","n":1,"slo')  # torn in the middle of a line
    answer = desk.run("unfold", "1", "--json")
    assert (answer.status, answer.json["restored"]) == (1, 1)
    assert [reason for _, reason in left(answer.json)] == ["gone from the fold; somebody took it away"]
    assert desk.ask("ledger")["runs"][0]["files"]["lost"] == 1
    slot.parent.mkdir(parents=True, exist_ok=True)
    (desk.top / "slot.jpg").rename(slot)
    assert desk.ask("unfold", "1")["restored"] == 1
    assert len(listing(desk.place)) == 3


def test_a_journal_counts_whole_lines_only(tmp_path):
    descriptor = os.open(tmp_path / "journal-2.jsonl", os.O_RDWR | os.O_CREAT)
    journal = Journal(descriptor, b"/kites")
    journal.write([Releasing(1)], makes_room=True)
    size = os.fstat(descriptor).st_size
    end = len((tmp_path / "journal-2.jsonl").read_bytes().rstrip())
    os.pwrite(descriptor, b'\n{"do":"release","n":2}garbage\n[1]\n{"do":"re', end)
    journal = Journal(descriptor, b"/kites")
    journal.write([Released(1)])
    assert journal.read() == [Releasing(1), Released(1)]
    assert os.fstat(descriptor).st_size == size, "there is room for what follows"
    os.close(descriptor)


@given(
    st.lists(
        st.binary(min_size=1, max_size=9).filter(lambda n: n not in (b".", b"..") and not {0, 47} & set(n)),
        min_size=1,
    )
)
def test_a_journal_names_every_path_below_its_place(steps):
    path = b"/kites/" + b"/".join(steps)
    name = relative_name(b"/kites", path)
    assert name.isascii()
    assert absolute_path(b"/kites", name) == absolute_path(b"/kites/", name) == path
    with pytest.raises(ValueError, match="leads out"):
        absolute_path(b"/kites", "../x")


def test_a_stock_of_the_first_version_is_brought_up_to_date(desk: Desk):
    desk.stock.parent.mkdir()
    with closing(sqlite3.connect(desk.stock)) as old:
        old.executescript(schema._MIGRATIONS[0])
        old.execute("INSERT INTO runs VALUES (1, 'key', 'fold', x'64', 1750000000000000000, 0)")
        old.execute("INSERT INTO run_files VALUES (1, 1, x'2f70', x'2f702f61', '1', 9, 0, x'', x'', 'restored', '')")
        old.execute(f"PRAGMA application_id = {schema.APPLICATION_ID}")
        old.execute("PRAGMA user_version = 1")
        old.commit()
    (run,) = desk.ask("ledger", "1")["runs"]
    assert (run["files"]["restored"], run["details"][0]["method"], run["details"][0]["target"]) == (1, "fold", None)
    desk.write("kite.jpg", b"k" * 40)
    desk.write("old/kite.jpg", b"k" * 40)
    desk.proposed()
    assert desk.ask("fold", desk.docket, "--yes")["run"] == 2
