"""Dockets that are remembered: which one is taken, and that no decision is lost on the way to a fold."""

import json
import os
import shutil
from pathlib import Path

import pytest

from foldkeep.keep import read_docket, write_docket
from foldkeep.keep.by_hand import BY_HAND, NOT_BY_HAND, ON_SHEET, is_by_hand, names_hand
from foldkeep.keep.register import DocketFile, DocketRegister, DocketState, MadeDocket
from foldkeep.model import Action, DocketRow
from harness.desks import Desk, edit, on_a_terminal

KEEPER, SPARE = "a/0.jpg", "b/0.jpg"


@pytest.fixture
def shelf(desk: Desk) -> Desk:
    """A desk with three sets of two copies, in folders a and b."""
    for number in range(3):
        desk.write(f"a/{number}.jpg", b"%d" % number * (90 - number))
        desk.write(f"b/{number}.jpg", b"%d" % number * (90 - number), 1_760_000_000)
    desk.ask("scan", desk.place)
    return desk


def register(desk: Desk) -> DocketRegister:
    return DocketRegister(str(desk.stock))


def states(desk: Desk) -> dict[str, str]:
    known = register(desk)
    return {made.name: str(known.state(made)) for made in known.all()}


def kept(path: str | Path) -> set[str]:
    """Return the copies that a docket keeps, as folder and name."""
    return {"/".join(os.fsdecode(row.path).split("/")[-2:]) for row in read_docket(str(path))
            if row.action is Action.KEEP}  # fmt: skip


def terminal(desk: Desk, *words: str, typed: dict[str, str] | None = None) -> str:
    """Run the program on a pseudo-terminal with the stock of a desk."""
    home = {"HOME": str(desk.top), "XDG_DATA_HOME": str(desk.top / "home"), "XDG_CONFIG_HOME": str(desk.top / "config")}
    variables = {**os.environ, **home, "FOLDKEEP_STOCK": str(desk.stock), "TERM": "dumb"}
    return on_a_terminal(list(words), variables, typed).replace("\r\n", "\n")


def test_the_daily_way_names_no_file_and_carries_out_what_was_decided(shelf: Desk):
    assert "The docket (list of proposals) is d1." in terminal(shelf, "keep")
    typed = {"1 of 3": "2", "2 of 3": "n", "3 of 3": ""}
    reviewed = terminal(shelf, "review", typed=typed)
    assert "Docket d1, made just now (keep): 3 spares in 3 sets" in reviewed
    assert "2 decisions saved in d1; 1 set not decided by hand." in reviewed
    assert reviewed.endswith("Next: foldkeep fold d1\n")
    folded = terminal(shelf, "fold", typed={"Fold 2 files? [y/N]": "y"})
    assert "Docket d1, made just now (keep): 3 spares in 3 sets, 267 B; you decided 2 sets." in folded
    assert not (shelf.place / KEEPER).exists(), "the copy that was chosen by hand stays, the other one goes"
    assert (shelf.place / SPARE).exists()
    assert sorted(os.listdir(shelf.place / "b")) == ["0.jpg", "1.jpg"]
    assert states(shelf) == {"d1": "carried out"}
    again = terminal(shelf, "fold")
    assert again.startswith("Nothing to do: d1 was carried out in run 1, ")


def test_without_a_question_the_docket_has_to_be_named(shelf: Desk):
    shelf.ask("keep")
    for words in (("fold",), ("fold", "--yes")):
        answer = shelf.run(*words)
        assert (answer.status, answer.out) == (2, "")
        assert "the docket has to be named; as in: foldkeep fold d1" in answer.err
    assert shelf.run("fold", "d7", "--yes").err == "foldkeep fold: there is no docket d7; the newest is d1\n"
    assert shelf.ask("fold", "d1", "--yes")["folded"] == 3
    assert shelf.ask("review") == {"command": "review", "docket": None, "name": None, "sets": 0, "changed": 0,
                                   "undecided": 0}  # fmt: skip


def test_equal_proposals_are_one_and_what_finds_nothing_leaves_none(shelf: Desk):
    assert [shelf.ask("keep")["name"] for _ in range(2)] == ["d1", "d1"]
    assert shelf.ask("keep", "--kind", "video")["name"] is None
    assert shelf.ask("keep", "--kind", "photo")["name"] == "d2", "another question"
    assert states(shelf) == {"d1": "open", "d2": "open"}
    shelf.ask("fold", "d2", "--yes")
    assert states(shelf) == {"d1": "superseded", "d2": "carried out"}, "both said the same"


def test_the_newest_is_what_was_shown_last_also_where_an_older_one_says_the_same(shelf: Desk):
    assert [shelf.ask("keep", *more)["name"] for more in ((), ("--kind", "photo"), ())] == ["d1", "d2", "d3"]
    assert "Docket d3, " in terminal(shelf, "review", typed={"1 of 3": "stop"})


def test_decisions_hold_in_every_later_docket_until_they_are_carried_out(shelf: Desk):
    shelf.ask("keep")
    shelf.ask("review", answer="2\n1 2\n")
    decided = {"b/0.jpg", "a/1.jpg", "b/1.jpg", "a/2.jpg"}
    assert kept(register(shelf).folder + "/d1.csv") == decided
    shelf.write("c/1.jpg", b"1" * 89)
    shelf.write("d/9.jpg", b"new")
    shelf.write("e/9.jpg", b"new", 1_760_000_000)
    shelf.ask("scan")
    later = shelf.ask("keep")
    assert (later["name"], later["decided"]) == ("d2", 2)
    assert kept(later["docket"]) == decided | {"c/1.jpg", "d/9.jpg"}, "a new copy stays until it is decided on"
    refused = shelf.run("fold", "d1", "--yes")
    assert (refused.status, shelf.run("review", "d1").status) == (2, 2)
    assert "d1 is superseded: d2 took its place; look at that one: foldkeep fold d2" in refused.err
    only = shelf.ask("keep", "-o", shelf.docket, "--under", shelf.place / "a")
    assert (only["spares"], only["decided"]) == (1, 2), "a filter narrows what may go of what was decided"
    assert states(shelf) == {"d1": "superseded", "d2": "open", "d3": "open"}
    assert kept(shelf.ask("keep", "--afresh", "-o", shelf.top / "new.csv")["docket"]) >= {"a/0.jpg", "a/1.jpg"}
    assert states(shelf)["d2"] == "open", "decisions that a later docket has not keep theirs open"
    assert shelf.ask("fold", "d2", "--yes")["folded"] == 3
    assert (shelf.place / SPARE).exists()


def test_what_changed_under_a_decision_is_decided_anew(shelf: Desk):
    shelf.ask("keep")
    shelf.ask("review", answer="2\nstop\n")
    (shelf.place / SPARE).unlink()
    shelf.write("c/0.jpg", b"0" * 90, 1_770_000_000)
    shelf.ask("scan")
    later = shelf.ask("keep")
    assert (later["decided"], kept(later["docket"])) == (0, {"a/0.jpg", "a/1.jpg", "a/2.jpg"})
    assert states(shelf)["d1"] == "open", "its decision is in no other docket"


def test_a_file_that_another_program_changed_is_never_written_over(shelf: Desk):
    shelf.ask("keep", "-o", shelf.docket)
    first, *rows = shelf.docket.read_text().splitlines()
    shelf.docket.write_text("\n".join([f"{first},note", *(f"{row.replace(',fold,', ',keep,')},mine" for row in rows)]))
    before = shelf.docket.read_bytes()
    answer = shelf.run("review", shelf.docket, answer="1\n")
    assert f"{shelf.docket} is not as Fold Keep wrote it, so decisions are saved in" in answer.err
    assert shelf.docket.read_bytes() == before
    assert kept(shelf.top / "docket-2.csv") >= {KEEPER}
    assert states(shelf) == {"d1": "open", "d2": "open"}, "what a person wrote into it stands in no other docket"
    assert shelf.ask("fold", shelf.docket, "--yes")["folded"] == 0

    file = DocketFile(str(shelf.top / "docket-2.csv"))
    with open(file.path, "ab") as other:
        other.write(b"\r\n")
    assert file.save(file.rows, lambda _: None) == str(shelf.top / "docket-2-2.csv")


def test_what_a_spreadsheet_decided_stays_open_also_after_a_review(shelf: Desk):
    shelf.ask("keep", "-o", shelf.docket)
    edit(shelf.docket, lambda row: {**row, "action": {"keep": "fold", "fold": "keep"}[row["action"]]})
    shelf.ask("review", shelf.docket, answer="\n1 2\nstop\n")
    assert kept(shelf.docket) == {"b/0.jpg", "a/1.jpg", "b/1.jpg", "b/2.jpg"}
    shelf.write("z/2.jpg", b"2" * 88)
    shelf.ask("scan")
    later = shelf.ask("keep", "-o", shelf.top / "later.csv")
    assert (later["decided"], kept(later["docket"])) == (3, {"b/0.jpg", "a/1.jpg", "b/1.jpg", "b/2.jpg", "z/2.jpg"})
    assert states(shelf) == {"d1": "open", "d2": "open"}, "what another program wrote stays its own"
    assert "has decisions of yours that" in shelf.run("keep", "-o", shelf.top / "third.csv").err


def test_a_fold_says_what_a_changed_docket_teaches(desk: Desk):
    for number in range(5):
        desk.write(f"Photos/trip {number}/K_{number}.jpg", b"%d" % number * 60)
        desk.write(f"sorted/s{number % 2}/K_{number}.jpg", b"%d" % number * 60)
    desk.proposed()
    told = desk.run("keep", "--learn", desk.docket).out
    assert "Nothing is decided otherwise than the rules do" in told
    edit(desk.docket, lambda row: {**row, "action": {"keep": "fold", "fold": "keep"}[row["action"]]})
    folded = desk.run("fold", desk.docket, "--yes").out
    assert f"5 of your 5 changes are what --prefer under:{desk.place}" in folded
    assert "to learn that: foldkeep keep --learn d1" in folded
    desk.run("scan")
    strange = desk.run("keep", "--learn", "d1")
    assert "5 sets there are no copies that this stock knows: passed by." in strange.out
    assert desk.ask("keep", "--learn", "d1")["strange"] == 5


def test_a_docket_that_is_a_link_stays_one_and_keeps_its_mode(shelf: Desk):
    shelf.ask("keep", "-o", shelf.top / "there.csv")
    (shelf.top / "there.csv").chmod(0o600)
    shelf.docket.symlink_to("there.csv")
    shelf.ask("review", shelf.docket, answer="2\n")
    assert shelf.docket.is_symlink()
    assert "b/0.jpg" in kept(shelf.top / "there.csv")
    assert (shelf.top / "there.csv").stat().st_mode & 0o777 == 0o600
    assert kept(shelf.top / "docket-as-proposed.csv") == {"a/0.jpg", "a/1.jpg", "a/2.jpg"}


def test_an_earlier_proposal_of_that_name_is_no_proposal_of_this_one(shelf: Desk):
    shelf.ask("keep", "-o", shelf.docket)
    old = shelf.top / "docket-as-proposed.csv"
    old.write_text("somebody's\n")
    shelf.ask("review", shelf.docket, answer="2\nstop\n")
    shelf.ask("review", shelf.docket, answer="2\nstop\n")
    assert old.read_text() == "somebody's\n"
    assert kept(shelf.top / "docket-as-proposed-2.csv") == {"a/0.jpg", "a/1.jpg", "a/2.jpg"}
    assert not (shelf.top / "docket-as-proposed-3.csv").exists()


def sheet_save(desk: Desk, docket: str, name: str, change=None) -> Path:
    """Return the docket that a browser saves from a sheet of a docket."""
    made = register(desk).called(docket)
    rows = Path(made.path).read_text().splitlines()
    origin = f"{docket} {made.sheets[-1].digest}"
    path = desk.top / "Downloads" / name
    path.parent.mkdir(exist_ok=True)
    path.write_text("\r\n".join([rows[0] + ",from", *(f"{row},{origin}" for row in rows[1:])]) + "\r\n")
    if change:
        edit(path, change)
    return path


def swapped(row: dict[str, str]) -> dict[str, str]:
    other = {"keep": "fold", "fold": "keep"}[row["action"]]
    return {**row, "action": other, "reason": "chosen in the sheet"} if row["path"].endswith("/0.jpg") else row


@pytest.mark.usefixtures("known_volume")
def test_what_is_decided_on_a_sheet_is_what_is_carried_out(shelf: Desk):
    shelf.ask("keep")
    assert shelf.run("sheet", "-o", shelf.top / "sheet.html").out.endswith(
        "Next: foldkeep fold ~/Downloads/d1-decided.csv\n"
    )
    assert "A sheet was made of d1" in shelf.run("fold", "d1", answer="n\n").out
    saved = sheet_save(shelf, "d1", "d1-decided.csv", swapped)
    asked = shelf.run("fold", "d1", answer="n\n")
    assert f"to carry those out: foldkeep fold ~/Downloads/{saved.name}" in asked.out
    # A browser gives the second save another name: the first is not what was decided last.
    later = sheet_save(shelf, "d1", "d1-decided (1).csv", swapped)
    os.utime(later, (2_000_000_000, 2_000_000_000))
    refused = shelf.run("fold", saved, "--yes")
    assert (refused.status, f"{later} was saved later" in refused.err) == (2, True)
    later.unlink()
    # A decision in the docket itself that the sheet has not.
    shelf.ask("review", "d1", answer="\n2\nstop\n")
    refused = shelf.run("fold", saved, "--yes")
    assert (refused.status, "d1 has decisions on 1 of its sets that" in refused.err) == (2, True)
    assert shelf.ask("fold", saved, "--yes", "--superseded")["folded"] == 3
    assert (shelf.place / SPARE).exists()
    assert not (shelf.place / KEEPER).exists()
    assert states(shelf) == {"d1": "carried out"}


@pytest.mark.usefixtures("known_volume")
def test_what_a_sheet_teaches_is_told_by_the_fold(desk: Desk):
    for number in range(4):
        desk.write(f"Photos/trip {number}/0.jpg", b"%d" % number * 60)
        desk.write(f"sorted/s{number}/0.jpg", b"%d" % number * 60, 1_760_000_000)
    desk.ask("scan", desk.place)
    desk.ask("keep")
    desk.run("sheet", "-o", desk.top / "sheet.html")
    saved = sheet_save(desk, "d1", "d1-decided.csv", swapped)
    assert f"to learn that: foldkeep keep --learn ~/Downloads/{saved.name}\n" in desk.run("fold", saved, "--yes").out


def test_every_state_of_a_docket_is_told(shelf: Desk):
    shelf.ask("keep", "-o", shelf.docket)
    other = Desk(shelf.top / "elsewhere") if (shelf.top / "elsewhere").mkdir() is None else shelf
    other.ask("scan", other.place)
    assert other.run("fold", "d1", "--yes").err.endswith("there is no docket d1; make one: foldkeep keep\n")
    shutil.copy(shelf.docket, other.docket)
    strange = other.run("fold", other.docket, "--yes")
    assert (strange.status, states(other)) == (2, {}), "another stock's, whose places this one has not"
    (shelf.place / SPARE).write_bytes(b"changed")
    half = shelf.ask("fold", shelf.docket, "--yes")
    assert (half["folded"], len(half["left"])) == (2, 1)
    made = register(shelf).called("d1")
    assert (made.runs, made.left, states(shelf)) == ((1,), 1, {"d1": "carried out"})
    shelf.ask("keep", "-o", shelf.top / "gone.csv", "--kind", "photo")
    (shelf.top / "gone.csv").unlink()
    assert states(shelf)["d2"] == "gone"
    assert "d2 was" in shelf.run("fold", "d2", "--yes").err


def test_a_register_that_is_broken_or_hostile_is_passed_by(shelf: Desk):
    shelf.ask("keep")
    folder = Path(register(shelf).folder)
    broken = (b"", b"{", b"[" * 10**5, b'{"format": 1}', b'{"format": 9}', b"\xff" * 99)
    for number, content in enumerate(broken, start=2):
        (folder / f"d{number}.json").write_bytes(content)
    (folder / "d8.json").mkdir()
    os.mkfifo(folder / "d9.json")
    (folder / "d10.json").write_text((folder / "d1.json").read_text())
    assert [made.name for made in register(shelf).all()] == ["d1"]
    assert shelf.ask("keep", "--kind", "photo")["name"] == "d11"
    told = json.loads((folder / "d1.json").read_text())
    for name, value in (("digests", []), ("digests", [1]), ("runs", "x"), ("sheets", [[1, 2, 3]]), ("number", True)):
        with pytest.raises(ValueError, match=r"\w"):
            MadeDocket.read(json.dumps({**told, name: value}).encode())


def test_where_nothing_can_be_noted_decisions_are_saved_and_carried_out_all_the_same(shelf: Desk, monkeypatch):
    shelf.ask("keep", "-o", shelf.docket)

    def refused(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(DocketRegister, "_put", refused)
    assert shelf.ask("review", shelf.docket, answer="2\n\n\n")["changed"] == 1
    assert kept(shelf.docket) >= {SPARE}
    assert shelf.ask("fold", shelf.docket, "--yes")["folded"] == 3
    assert shelf.run("keep", "-o", shelf.top / "other.csv").status == 0
    assert (shelf.place / SPARE).exists()


def test_old_dockets_go_and_decisions_that_wait_never_do(shelf: Desk):
    shelf.ask("keep")
    shelf.ask("keep", "--kind", "photo")
    shelf.ask("review", "d2", answer="2\nstop\n")
    folder = Path(register(shelf).folder)
    for path in folder.glob("*.json"):
        told = json.loads(path.read_text())
        path.write_text(json.dumps({**told, "made_ns": told["made_ns"] - 400 * 86_400 * 10**9}))
    shelf.ask("keep", "--name", "0*")
    assert states(shelf) == {"d2": "open", "d3": "open"}
    assert sorted(os.listdir(folder)) == ["d2-as-proposed.csv", "d2.csv", "d2.json", "d3.csv", "d3.json"]


@pytest.mark.parametrize("at", ["the record", "the docket"])
def test_a_save_that_ends_between_docket_and_record_is_no_change_of_another_program(shelf: Desk, at, monkeypatch):
    shelf.ask("keep")
    real, calls = os.replace, []

    def ends(*names):
        calls.append(names)
        if len(calls) == (1 if at == "the record" else 2):
            raise KeyboardInterrupt
        real(*names)

    monkeypatch.setattr(os, "replace", ends)
    shelf.run("review", "d1", answer="2\nstop\n")
    monkeypatch.undo()
    known = register(shelf)
    made = known.called("d1")
    assert not known.is_changed(made)
    assert known.state(made) is DocketState.OPEN


def test_of_a_docket_that_was_carried_out_nothing_is_asked(desk: Desk):
    desk.write("kite.jpg", b"kite" * 9)
    desk.write("again/kite.jpg", b"kite" * 9)
    desk.ask("scan", desk.place)
    desk.ask("keep")
    assert desk.run("fold", "d1", "--yes").status == 0
    again = desk.run("fold", "d1", answer="")
    assert (again.status, "Fold 1 file?" in again.err) == (1, False)
    assert "already in the fold, since run 1" in again.out
    desk.ask("unfold", "1")
    assert desk.run("fold", "d1", "--yes").status == 0  # what came back may go again


@pytest.mark.parametrize("reason", [
    BY_HAND, NOT_BY_HAND, ON_SHEET, "/a/b is given up", "not in /a/b, which is given up",
    "its folder was given up in the sheet", "kept, since the folder of another copy was given up",
    "new since the other copies were decided on",
])  # fmt: skip
def test_a_docket_with_a_decision_is_known_without_reading_its_rows(tmp_path: Path, reason: str):
    row = DocketRow("s1", Action.FOLD, b"/a/kite.jpg", 1, "photo", 0, None, reason)
    assert is_by_hand(row)
    assert names_hand(write_docket(str(tmp_path / "docket.csv"), [row]))
    assert not names_hand(write_docket(str(tmp_path / "plain.csv"), [row._replace(reason="oldest")]))
