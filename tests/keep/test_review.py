"""Looking at a docket set by set: through a pipe, on a pseudo-terminal, interrupted."""

import csv
import io
import os
import pty
import signal
import subprocess
from pathlib import Path

import pytest

from foldkeep.cli import Environment, main
from foldkeep.keep import Review, read_docket
from foldkeep.model import Action
from harness.desks import PROGRAM, Desk


@pytest.fixture
def shelf(desk: Desk) -> Desk:
    """A desk with three sets: two of two copies, in folders a and b, and one of three."""
    for number in range(2):
        desk.write(f"a/{number}.jpg", b"%d" % number * (90 - number))
        desk.write(f"b/{number}.jpg", b"%d" % number * (90 - number), 1_760_000_000)
    for folder in ("a", "b", "c\n\x1b[31m"):
        desk.write(f"{folder}/third.jpg", b"k" * 40, 1_750_000_000 + ord(folder[0]))
    desk.proposed()
    return desk


def actions(docket: Path) -> list[str]:
    """Return the actions of a docket, set by set, in the order of paths."""
    with docket.open(newline="") as stream:
        rows = list(csv.DictReader(stream))
    sets = dict.fromkeys(row["set"] for row in rows)
    return [
        " ".join(row["action"] for row in sorted(rows, key=lambda row: row["path"]) if row["set"] == name)
        for name in sets
    ]


@pytest.mark.parametrize(
    ("answers", "expected"),
    [
        ("no\ny\nn\n", ["keep keep", "keep fold", "keep keep keep"]),
        ("2\n\n\n", ["fold keep", "keep fold", "keep fold fold"]),
        ("2\n2\n3\n", ["fold keep", "fold keep", "fold fold keep"]),
        ("a\n\n1 3\n", ["keep keep", "keep fold", "keep fold keep"]),
        ("\n\n2,3\n", ["keep fold", "keep fold", "fold keep keep"]),
        ("g 1\n", ["fold keep", "fold keep", "fold keep fold"]),
        ("1\ng 1\nq\n", ["keep fold", "fold keep", "fold keep fold"]),
        ("2\nb\n1\nq\n", ["keep fold", "keep fold", "keep fold fold"]),
        ("keep\nall\nNext\nstop\n", ["keep keep", "keep fold", "keep fold fold"]),
        ("2\n2\nu\nundo\n\n2\n", ["keep fold", "fold keep", "keep fold fold"]),
        ("2\nundo\nundo\ng 1\nundo\n3\n1 2\n\n2\n", ["keep keep", "keep fold", "fold keep fold"]),
        ("9\nx 3\n2 x\ng\ng 1 2\n2\n", ["fold keep", "keep fold", "keep fold fold"]),
    ],
)
def test_answers_change_the_docket_and_nothing_else(shelf: Desk, answers, expected):
    before = shelf.docket.read_bytes()
    assert actions(shelf.docket) == ["keep fold", "keep fold", "keep fold fold"]
    answer = shelf.run("review", shelf.docket, "--json", answer=answers)
    assert answer.status == 0
    assert answer.json["docket"] == str(shelf.docket)
    assert actions(shelf.docket) == expected
    assert (shelf.top / "docket-as-proposed.csv").read_bytes() == before
    assert "\x1b" not in answer.err
    folded = shelf.ask("fold", shelf.docket, "--yes")
    assert (folded["folded"], folded["left"]) == (sum(words.count("fold") for words in expected), [])


def test_what_is_common_is_said_once_and_what_differs_side_by_side(desk: Desk):
    desk.write("one/kite.jpg", b"k" * 40)
    desk.write("two/kite.jpg", b"k" * 40)
    os.link(desk.place / "two/kite.jpg", desk.place / "two/link.jpg")
    desk.write("one/kite.xmp", b'<r:RDF xmlns:r="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><r:Description'
               b' xmlns:x="http://ns.adobe.com/xap/1.0/" x:Rating="5"/></r:RDF>')  # fmt: skip
    desk.proposed()
    (desk.place / "two/kite.jpg").unlink()
    shown = desk.run("review", desk.docket, answer="").out
    assert f"all in {desk.place}; links 1" not in shown
    lines = [line for line in shown.splitlines() if line[:1].isdigit()]
    assert ["not there" in line for line in lines].count(True) == 1
    assert [("kite.xmp (rating 5 of 5)" in line) for line in lines].count(True) == 1
    assert "Nothing was changed" in shown
    assert os.listdir(desk.top / "place/two") == ["link.jpg"]


def test_undecided_sets_are_decided_and_what_must_stay_stays(shelf: Desk):
    review = Review(read_docket(str(shelf.docket)))
    first = review.rows(0)
    shelf.docket.unlink()
    shelf.ask("keep", "-o", shelf.docket, "--only-these-rules")
    assert set(" ".join(actions(shelf.docket)).split()) == {"leave"}
    review = Review(read_docket(str(shelf.docket)))
    review.keep(0, [1])
    assert [row.action for row in review.rows(0)] == [Action.KEEP, Action.FOLD]
    shelf.docket.unlink()
    shelf.ask("keep", "-o", shelf.docket, "--protect", str(shelf.place / "b"), "--prefer", f"under:{shelf.place}/a")
    review = Review(read_docket(str(shelf.docket)))
    assert first[0].set == review.rows(0)[0].set
    number = next(at for at, row in enumerate(review.rows(2), start=1) if b"/a/" in row.path)
    review.keep(2, [number])
    assert {row.path.split(b"/")[-2]: row.action for row in review.rows(2)}[b"a"] is Action.KEEP


def test_the_question_says_what_stays_if_nothing_else_is_answered(shelf: Desk):
    shown = shelf.run("review", shelf.docket, answer="1 2\nback\n\n2\nundo\n").out
    asked = [line.partition(";")[0] for line in shown.splitlines() if "else which stay?" in line]
    assert asked == [f"Enter keeps {which}" for which in ("1", "1", "all", "1", "1", "1")]
    refused = shelf.run("review", shelf.docket, answer="undo\n").out
    assert "no answer was given yet that could be undone; answer first" in refused


def test_what_goes_by_a_key_is_named_and_no_lets_nothing_go(shelf: Desk):
    rows = read_docket(str(shelf.docket))
    going = os.fsdecode(next(row.path for row in rows if row.action is Action.FOLD))
    shown = shelf.run("review", shelf.docket, answer="\n").out
    assert f"goes: {going}\n" in shown
    assert "Nothing was changed" in shown
    shown = shelf.run("review", shelf.docket, answer="n\n" * 3).out
    assert "goes: " not in shown
    assert actions(shelf.docket) == ["keep keep", "keep keep", "keep keep keep"]


def test_on_a_terminal_and_killed_no_decision_is_lost(shelf: Desk):
    mine, theirs = pty.openpty()
    variables = {**os.environ, "TERM": "xterm", "COLUMNS": "80", "XDG_CONFIG_HOME": str(shelf.top)}
    process = subprocess.Popen(
        [*PROGRAM, "review", shelf.docket, "--stock", shelf.stock],
        stdin=theirs, stdout=theirs, stderr=theirs, env=variables, start_new_session=True,
    )  # fmt: skip
    os.close(theirs)
    shown = b""
    for answer in (b"2\n", b"a\n"):
        while not shown.endswith(b"help) "):
            shown += os.read(mine, 65536)
        os.write(mine, answer)
        shown += b" "
    while not shown.endswith(b"help) "):
        shown += os.read(mine, 65536)
    process.send_signal(signal.SIGKILL)
    process.wait()
    os.close(mine)
    assert b"\x1b[31m" not in shown, "a name must not act on the terminal"
    assert b"c\\n\\x1b[31m" in shown
    assert actions(shelf.docket) == ["fold keep", "keep keep", "keep fold fold"]
    # It goes on where it was.
    answer = shelf.run("review", shelf.docket, answer="3\n")
    assert "photo, 40 B, 3 copies; 3 of 3" in answer.out
    assert "; 1 of 3" not in answer.out
    assert actions(shelf.docket) == ["fold keep", "keep keep", "fold fold keep"]


def test_ctrl_c_saves_and_the_desktop_opens(shelf: Desk):
    tools = shelf.top / "tools"
    tools.mkdir()
    (tools / "xdg-open").write_text(f'#!/bin/sh\necho "$1" >> {shelf.top}/opened\n')
    (tools / "xdg-open").chmod(0o755)

    class Interrupted(io.StringIO):
        def readline(self, *size):
            line = super().readline(*size)
            if not line:
                raise KeyboardInterrupt
            return line

    out = io.StringIO()
    variables = {"PATH": f"{tools}:/usr/bin:/bin", "FOLDKEEP_STOCK": str(shelf.stock)}
    stdin = Interrupted("o 1\nf 2\no 9\n2\n")
    assert main(["review", str(shelf.docket)], Environment(stdin, out, io.StringIO(), variables)) == 130
    assert "there is no copy 9 in this set" in out.getvalue()
    assert actions(shelf.docket)[0] == "fold keep"
    while not (shelf.top / "opened").exists() or (shelf.top / "opened").read_text().count("\n") < 2:
        signal.sigtimedwait([], 0.05)
    assert set((shelf.top / "opened").read_text().split()) == {f"{shelf.place}/a/0.jpg", f"{shelf.place}/b"}


def test_a_large_docket_is_not_written_for_every_answer(shelf: Desk, monkeypatch):
    written = []
    real = os.replace
    monkeypatch.setattr(os, "replace", lambda *args: (written.append(args), signal.sigtimedwait([], 0.2), real(*args)))
    shelf.run("review", shelf.docket, "--all", answer="2\nb\n1\nb\n2\nb\n1\n2\n")
    assert len(written) <= 4, "twice a save: the docket, and what is remembered of it"
    assert actions(shelf.docket)[:2] == ["keep fold", "fold keep"]
