"""Every call fails: once, or from there on. Nothing is lost, the answer is a line each, and all of it comes back."""

import os

import pytest

from harness.desks import TRASH
from harness.points import FAULTS, STRIDE, Points, Unvisited, every_content, settled_well
from harness.scenes import CASES, FOR_GOOD, LINKED, Scenes

_unvisited = Unvisited()
_turn = 0


class Faults:
    """Makes the calls at and, if it `lasts`, after a point fail."""

    def __init__(self, number: int, code: int, *, lasts: bool) -> None:
        self._number, self._code, self._lasts = number, code, lasts

    def visit(self, at: int, name: str, when: str) -> None:
        if name != "commit" and (at == self._number or (self._lasts and at > self._number and when == "before")):
            raise OSError(self._code, os.strerror(self._code))


def check_fault(scenes: Scenes, number: int, word: str, lasts: bool, without: str) -> None:
    scenes.reset()
    points = Points(Faults(number, FAULTS[word], lasts=lasts).visit, looks=True)
    with points.armed(without=without):
        answer = scenes.desk.run(*scenes.line())
    site = points.site[number - 1] if number <= len(points.site) else None
    where = f"{scenes.command} {scenes.method}: {word} {'from' if lasts else 'at'} {number}, {site}: {answer}"
    assert answer.status in (0, 1, 2, 3), where
    assert "Traceback" not in answer.err, where
    assert all(line.strip() for line in answer.err.splitlines()), where
    everywhere = (scenes.desk.place, scenes.far, TRASH, scenes.desk.top / "home")
    assert scenes.kept <= every_content(*everywhere), f"lost: {where}"
    if answer.status == 2 and scenes.command == "fold":
        assert scenes.state() == scenes.before, f"changed although unusable: {where}"
    runs = scenes.desk.ask("ledger")["runs"]
    if runs:
        with Points(lambda *_: None).armed(without=without):
            back = scenes.desk.run("unfold", "1", "--json")
        assert back.status in (0, 1), (where, back)
    assert scenes.kept <= every_content(*everywhere), f"lost when taken back: {where}"
    settled_well(scenes.desk, where)
    if scenes.method not in FOR_GOOD and scenes.command not in ("release", "rests"):
        assert scenes.state() == scenes.before, where


@pytest.mark.parametrize(
    ("method", "command", "without", "every"),
    [
        *(pytest.param(*case, "", False) for case in CASES if case[0] != "clone"),
        *(pytest.param("fold", command, "links", False) for command in ("fold", "unfold")),
        *(
            pytest.param(*case, without, True, marks=pytest.mark.long)
            for case in CASES
            if case[0] != "clone"
            for without in ("", "renames", "links")
            if without != "links" or case[0] not in LINKED
        ),
    ],
)
def test_whatever_call_fails_nothing_is_lost(tmp_path, far, method, command, without, every):
    global _turn
    scenes = Scenes(tmp_path, far, method, command)
    scenes.reset()
    points = Points(lambda *_: None, looks=True)
    with points.armed(without=without):
        scenes.desk.run(*scenes.line())
    kinds = [(word, lasts) for word in FAULTS for lasts in (False, True)]
    visited = 0
    for number in range(1, points.count + 1) if every else _unvisited.of(points.site):
        _turn += 1
        for word, lasts in kinds[number % STRIDE :: STRIDE] if every else (kinds[_turn % len(kinds)],):
            check_fault(scenes, number, word, lasts, without)
            visited += 1
    print(f"\n{command}, {method}: {points.count} points, {visited} faults")
