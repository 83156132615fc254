"""Killed with SIGKILL before and after every change to the file system and the stock: nothing is ever lost."""

import itertools
import os
import shutil

import pytest

from harness.desks import new_folder
from harness.drives import attached_drive
from harness.points import Points, Unvisited, befores, fail_from, kill_at, lacking
from harness.scenes import CASES, COMMANDS, LINKED, Scenes, check_recovery, methods_of
from harness.snapshots import Snapshot


@pytest.fixture
def top(request, tmp_path):
    """A folder on a volume that can do what the method asks for."""
    if request.node.callspec.params["method"] != "clone":
        yield tmp_path
        return
    with attached_drive(tmp_path, "xfs") as (_, point):
        yield point


@pytest.mark.parametrize("without", ["", "links"])
def test_killed_or_failing_while_a_place_is_first_marked_nothing_is_left_of_that(tmp_path, far, without):
    scenes = Scenes(tmp_path, far, "fold", "fold", is_first=True)
    scenes.reset()
    points = Points(lambda *_: None)
    with points.armed(without=without):
        scenes.desk.run(*scenes.line())
    sites = list(enumerate(points.site, start=1))
    numbers = [number for number, site in sites if site[2] == "fold/places.py" and site[-1] == "before"]
    assert len(numbers) > 40
    for number in numbers[:: 1 if "FOLDKEEP_EXPLORE" in os.environ else 4]:
        where = f"at {number}: {points.site[number - 1]}"
        scenes.reset()
        assert not scenes.killed_at(number, without), where
        check_recovery(scenes, "fold", number % 2 == 0, where)
        scenes.reset()
        assert scenes.stopped(fail_from(number), without), where
        check_recovery(scenes, "fold", number % 2 == 1, f"failing {where}")


@pytest.mark.parametrize(("command", "without"), [
    *((command, "") for command in COMMANDS),
    *(
        pytest.param(command, without, marks=pytest.mark.more)
        for command in ("fold", "unfold", "release")
        for without in ("renames", "links")
    ),
])  # fmt: skip
def test_killed_at_each_kind_of_change_nothing_is_lost_and_all_can_be_taken_back(tmp_path, far, command, without):
    unvisited, visits, points = Unvisited(), 0, 0
    for method in ["fold"] if without else methods_of(command):
        scenes = Scenes(new_folder(tmp_path / method), new_folder(far / method), method, command)
        sites = scenes.sites(without)
        points += len(sites)
        for number in unvisited.of(befores(sites), sites):
            visit(scenes, number, without, alone=number % 2 == 0)
            visits += 1
    print(f"\n{command}{', without ' * bool(without)}{without}: {points} points, killed at {visits}")


def visit(scenes: Scenes, number: int, without: str, *, alone: bool) -> bool:
    """Kill the command at a point, look at what came of it, and return whether it had ended before that."""
    scenes.reset()
    finished = scenes.killed_at(number, without)
    with lacking(without):
        where = f"{scenes.command} {scenes.method} at point {number}, {'alone' if alone else 'with the stock'}"
        check_recovery(scenes, scenes.method, alone, where)
    return finished


@pytest.mark.more
@pytest.mark.parametrize("command", COMMANDS)
def test_killed_again_while_it_recovers_nothing_is_lost(tmp_path, far, command):
    """Kill the command at each place, and then what comes after it: the same again, or what takes back."""
    kills, visits, visited = Unvisited(), 0, [Unvisited() for _ in range(3)]
    for method in methods_of(command):
        scenes = Scenes(new_folder(tmp_path / method), new_folder(far / method), method, command)
        sites = scenes.sites("")
        for at, number in enumerate(kills.of(befores(sites), sites)):
            visits += visit_recovery(scenes, number, at % 3, visited[at % 3])
    print(f"\n{command}: recovery was killed at {visits} points")
    assert visits > 20


def visit_recovery(scenes: Scenes, number: int, kind: int, unvisited: Unvisited) -> int:
    """Kill the command at a point, and one of three recoveries at new places of its own; return at how many."""
    stock, alone, back = scenes.desk.stock.parent, kind == 0 and scenes.needs_no_stock, ["unfold", "1"]
    line = [["unfold", "--from", scenes.desk.place] if alone else back, scenes.line(), back][kind]
    scenes.reset()
    scenes.killed_at(number, "")
    if alone and stock.exists():
        shutil.rmtree(stock)
    as_killed = [Snapshot.of(path) for path in scenes.saved]
    points = Points(lambda *_: None)
    with points.armed():
        scenes.desk.run(*line)
    again = unvisited.of(befores(points.site), points.site)
    for at in again:
        for each in as_killed:
            each.restore()
        scenes.stopped(kill_at(at), "", line)
        stock.mkdir(exist_ok=True)  # killed before it had one
        where = f"{scenes.command} {scenes.method} at {number}, then {line} at {at}: {points.site[at - 1]}"
        check_recovery(scenes, scenes.method, alone, where, most_runs=2)
    return len(again)


@pytest.mark.more
@pytest.mark.parametrize("command", ["fold", "unfold"])
def test_killed_where_files_are_cloned_nothing_is_lost(tmp_path, far, command):
    with attached_drive(tmp_path, "xfs") as (_, point):
        scenes = Scenes(point, far, "clone", command)
        sites = scenes.sites("")
        for number in Unvisited().of(befores(sites), sites):
            visit(scenes, number, "", alone=number % 2 == 0)


@pytest.mark.long
@pytest.mark.parametrize(("method", "command", "without"), [
    (*case, without)
    for case in CASES
    for without in ("", "renames", "links")
    if without != "links" or case[0] not in LINKED
])  # fmt: skip
def test_killed_at_every_change_twice_nothing_is_lost(top, far, method, command, without):
    scenes = Scenes(top, far, method, command)
    for number in itertools.count(1):
        ended = [visit(scenes, number, without, alone=alone) for alone in (False, True)]
        if all(ended):
            break
    print(f"\n{command}, {method}{', without ' * bool(without)}{without}: killed at {number} points, twice")
