"""The guide: the usual way in one sitting, which can be left at each question."""

import os
from pathlib import Path

import pytest

from harness.desks import Desk, listing, on_a_terminal

WAY = ["review", "", "stop", "", "fold", "y"]


def kept(desk: Desk) -> list[str]:
    return sorted(path.name for path in desk.place.rglob("*.jpg") if ".foldkeep" not in path.parts)


def test_the_whole_way_through_a_pipe(desk: Desk):
    for name in ("kite.jpg", "old/kite.jpg", "old/more/kite.jpg", "line.jpg", "old/line.jpg"):
        desk.write(name, name.rpartition("/")[2].encode() * 900)
    answer = desk.run("guide", desk.place, answer="\n".join(WAY) + "\n")
    assert answer.status == 0, answer
    for line in (f"foldkeep scan {desk.place}", "foldkeep keep", "foldkeep review d1", "3 of 3", "foldkeep fold d1",
                 "foldkeep unfold 1"):  # fmt: skip
        assert f"{line}\n" in answer.out
    assert sorted(path.name for path in desk.place.rglob("*.jpg") if ".foldkeep" not in path.parts) == [
        "kite.jpg",
        "line.jpg",
    ]
    assert desk.ask("unfold", "1")["restored"] == 3


@pytest.mark.parametrize("answered", range(len(WAY)))
def test_left_at_any_question_it_changes_nothing_and_says_how_to_go_on(desk: Desk, answered: int):
    for name in ("kite.jpg", "old/kite.jpg"):
        desk.write(name, b"k" * 9000)
    before = listing(desk.place)
    for last in ("", "stop\n"):
        answer = desk.run("guide", desk.place, answer="".join(f"{word}\n" for word in WAY[:answered]) + last)
        assert listing(desk.place) == before
        assert "Nothing was folded.\n" in answer.out or answer.status == 2, answer


def test_rules_in_words_and_one_document(desk: Desk):
    for name in ("kite.jpg", "best of/kite (1).jpg"):
        desk.write(name, b"k" * 9000)
    words = (f"nonsense\nrules\nwhy\nprefer {desk.top / 'nowhere'}\nrules\nprefer {desk.place / 'best of'}\n"
             "fold\ny\n")  # fmt: skip
    answer = desk.run("guide", desk.place, "--json", answer=words)
    told = answer.json
    assert (answer.status, told["run"], len(told["carried_out"])) == (0, 1, 8), answer
    assert "'nonsense' is not understood." in answer.err
    assert f"--prefer 'under:{desk.place / 'best of'}'" in told["carried_out"][-2]
    assert "Your rules are taken back." in answer.err
    assert kept(desk) == ["kite (1).jpg"]


def test_nothing_twice_and_nothing_known(desk: Desk):
    desk.write("kite.jpg")
    desk.place = desk.place.rename(desk.top / "the meadow's kites")
    answer = desk.run("guide", answer=f"{desk.place}\n")
    assert (answer.status, "Nothing was folded." in answer.out) == (0, True)
    assert "foldkeep remind --every 2w" in answer.out
    assert desk.run("guide", desk.top / "none").status == 2
    assert Desk(desk.top).run("guide", "--stock", desk.top / "new", answer="").status == 1


@pytest.mark.more
@pytest.mark.parametrize("answer", ["stop", "all"])
def test_the_tour_waits_after_each_act(tmp_path: Path, answer: str):
    named = {**os.environ, "TERM": "xterm", "HOME": str(tmp_path), "XDG_DATA_HOME": str(tmp_path)}
    shown = on_a_terminal(["demo", str(tmp_path / "kites")], named, {"go on / all": answer})
    assert shown.startswith("Making the sample library")
    assert shown.count("[Enter: go on") == 1
    assert ("Scanned" in shown, "foldkeep checkup" in shown) == (True, answer == "all")
    assert ("with its stock; go on as you like" in " ".join(shown.split())) is (answer == "stop")


def test_on_a_terminal_of_its_own(desk: Desk, tmp_path: Path):
    for name in ("kite.jpg", "old/kite.jpg"):
        desk.write(name, b"k" * 9000)
    named = {**os.environ, "FOLDKEEP_STOCK": str(desk.stock), "TERM": "xterm", "HOME": str(tmp_path)}
    typed = {"What now?": "browser", "Press Enter when": "", "Where is it?": "\nfold", "Fold 1 file?": "y"}
    shown = on_a_terminal(["guide", str(desk.place)], named, typed)
    assert "Fold the spares away" in shown
    assert "brings all of it back" in shown
    assert "--stock" not in shown  # every command here asks the usual one
    (page,) = (desk.stock.parent / "guide").rglob("*.html")
    assert "kite.jpg" in page.read_text()
