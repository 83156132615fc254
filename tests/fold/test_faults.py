"""Every call fails: once, or from there on. Nothing is lost, the answer is a line each, and all of it comes back."""

import os

import pytest

from harness.desks import TRASH, new_folder
from harness.points import FAULTS, STRIDE, Points, Unvisited, every_content, is_look, lacking, settled_well
from harness.scenes import CASES, COMMANDS, FOR_GOOD, LINKED, Scenes, methods_of


class Faults:
    """Makes the calls at and, if it `lasts`, after a point fail."""

    def __init__(self, number: int, code: int, *, lasts: bool) -> None:
        self._number, self._code, self._lasts = number, code, lasts

    def visit(self, at: int, name: str, when: str) -> None:
        if name != "commit" and (at == self._number or (self._lasts and at > self._number and when == "before")):
            raise OSError(self._code, os.strerror(self._code))


def check_fault(scenes: Scenes, number: int, word: str, lasts: bool, without: str) -> None:
    scenes.reset()
    points = Points(Faults(number, FAULTS[word], lasts=lasts).visit, looks=True, until=None if lasts else number)
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
        with lacking(without):
            back = scenes.desk.run("unfold", "1", "--json")
        assert back.status in (0, 1), (where, back)
    assert scenes.kept <= every_content(*everywhere), f"lost when taken back: {where}"
    settled_well(scenes.desk, where)
    if scenes.method not in FOR_GOOD and scenes.command not in ("release", "rests"):
        assert scenes.state() == scenes.before, where


def telling(sites: list[tuple]) -> list[int]:
    """Return the numbers of the points before each call, and after those that change something: a look that fails has
    nothing left behind it.
    """
    return [number for number, site in enumerate(sites, start=1) if site[-1] == "before" or not is_look(site)]


QUICK = [("fold", ""), ("unfold", ""), ("release", "")]
KINDS = [(word, lasts) for word in FAULTS for lasts in (False, True)]


@pytest.mark.parametrize(("command", "without", "looks"), [
    pytest.param(*group, looks, marks=pytest.mark.more if looks or group not in QUICK else ())
    for group in [*((command, "") for command in COMMANDS), ("fold", "links"), ("unfold", "links")]
    for looks in (False, True)
])  # fmt: skip
def test_whatever_kind_of_call_fails_nothing_is_lost(tmp_path, far, command, without, looks):
    unvisited, visits, points = Unvisited(), 0, 0
    for method in ["fold"] if without else methods_of(command):
        scenes = Scenes(new_folder(tmp_path / method), new_folder(far / method), method, command)
        sites = scenes.sites(without, looks=True)
        points += len(sites)
        for number in unvisited.of((at for at in telling(sites) if is_look(sites[at - 1]) == looks), sites):
            visits += 1
            check_fault(scenes, number, *KINDS[visits % len(KINDS)], without)
    print(f"\n{command}{', without ' * bool(without)}{without}: {points} points, {visits} faults")


@pytest.mark.long
@pytest.mark.parametrize(("method", "command", "without"), [
    (*case, without)
    for case in CASES
    if case[0] != "clone"
    for without in ("", "renames", "links")
    if without != "links" or case[0] not in LINKED
])  # fmt: skip
def test_whatever_call_fails_nothing_is_lost(tmp_path, far, method, command, without):
    scenes = Scenes(tmp_path, far, method, command)
    sites = scenes.sites(without, looks=True)
    visits = 0
    for number in telling(sites):
        for word, lasts in KINDS[number % STRIDE :: STRIDE]:
            check_fault(scenes, number, word, lasts, without)
            visits += 1
    print(f"\n{command}, {method}: {len(sites)} points, {visits} faults")
