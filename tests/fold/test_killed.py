"""Killed with SIGKILL before and after every change to the file system and the stock: nothing is ever lost."""

import itertools
import os
from contextlib import nullcontext

import pytest

from harness.drives import attached_drive
from harness.points import Points, Unvisited, fail_from
from harness.scenes import CASES, LINKED, Scenes, check_recovery

_unvisited = Unvisited()


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


@pytest.mark.parametrize(
    ("method", "command", "without", "twice"),
    [
        *(pytest.param(*case, "", False) for case in CASES),
        *(
            pytest.param("fold", command, without, False)
            for command in ("fold", "unfold", "release")
            for without in ("renames", "links")
        ),
        *(
            pytest.param(*case, without, True, marks=pytest.mark.long)
            for case in CASES
            for without in ("", "renames", "links")
            if without != "links" or case[0] not in LINKED
        ),
    ],
)
def test_killed_at_any_change_nothing_is_lost_and_all_can_be_taken_back(top, far, method, command, without, twice):
    scenes = Scenes(top, far, method, command)
    if not twice:
        scenes.reset()
        points = Points(lambda *_: None)
        with points.armed(without=without):
            scenes.desk.run(*scenes.line())
        numbers = _unvisited.of(points.site)
    else:
        numbers = itertools.count(1)
    number = 0
    finished = False
    for number in numbers:
        if finished:
            break
        for alone in (False, True) if twice else (number % 2 == 0,):
            scenes.reset()
            finished = scenes.killed_at(number, without)
            same_drive = Points(lambda *_: None).armed(without=without) if without else nullcontext()
            with same_drive:
                check_recovery(scenes, method, alone, f"at point {number}, {'alone' if alone else 'with the stock'}")
    links = f", without {without}" if without else ""
    print(f"\n{command}, {method}{links}: killed up to point {number}{', at each of them, twice' if twice else ''}")
