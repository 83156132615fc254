"""Filters and protections: whatever is typed, what goes is among what goes without, and parts make the whole."""

import csv
import re
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from harness.desks import Desk
from messes import MESSES
from messes.mess import make, proposed

FOLDERS = ("2021/kite day", "2021/regatta", "best of", "old laptop/dump", "card/DCIM/100KITE", "import 2")
NAMES = ("a.jpg", "a (1).jpg", "copy of a.jpg", "b.jpg", "c.mov", "IMG_0001.jpg", "a.xmp")
HALVES = {
    "--under PLACE/2021": "--not-under PLACE/2021",
    "--name *a*": "--not-name *a*",
    "--larger-than 1kB": "--smaller-than 1001",
    "--kind photo": "--kind video --kind sidecar",
    "--place place": "--place shelf",
}
"""Filters, each with one that takes all other files."""

PROTECTIONS = ("--protect PLACE/2021", "--protect *.jpg", "--protect place:shelf", "--protect role:working")

_files = st.dictionaries(
    st.tuples(st.sampled_from(("place", "shelf")), st.sampled_from(FOLDERS), st.sampled_from(NAMES)),
    st.tuples(st.integers(0, 3), st.integers(0, 3)),
    min_size=2,
    max_size=16,
)


def goes(desk: Desk, *words: str) -> set[str]:
    """Return the paths of the files that `keep` proposes to fold."""
    desk.docket.unlink(missing_ok=True)
    answer = desk.run("keep", "-o", desk.docket, *words)
    assert answer.status == 0, answer
    with desk.docket.open(newline="") as stream:
        return {row["path"] for row in csv.DictReader(stream) if row["action"] == "fold"}


def library(top: Path, files: dict[tuple[str, str, str], tuple[int, int]]) -> Desk:
    desk = Desk(top)
    for (place, folder, name), (content, age) in files.items():
        body = b"%d" % content * (700 if content % 2 else 1500) if not name.endswith(".xmp") else b"<x%d/>" % content
        desk.place = top / place
        desk.write(f"{folder}/{name}", body, 1_750_000_000 + age)
    for place in ("place", "shelf"):
        (top / place / "2021").mkdir(parents=True, exist_ok=True)
        desk.run("scan", top / place)
    desk.place = top / "place"
    return desk


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(_files)
def test_what_goes_is_among_what_goes_without_and_the_parts_make_the_whole(tmp_path_factory, files):
    desk = library(tmp_path_factory.mktemp("desk"), files)
    whole = goes(desk)

    def with_words(line: str) -> set[str]:
        return goes(desk, *line.replace("PLACE", str(desk.place)).split())

    for line in PROTECTIONS:
        assert with_words(line) <= whole, line
    for one, other in HALVES.items():
        first, second = with_words(one), with_words(other)
        assert first | second <= whole, one
        # A sidecar goes with what it belongs to, or not at all.
        missing = {path for path in whole - first - second if not path.endswith(".xmp")}
        assert not missing, (one, missing)
        assert with_words(f"{one} --protect *(1)*") <= first, one


@settings(max_examples=15, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(_files)
def test_what_can_come_free_is_what_a_filter_names_and_never_the_last_copy(tmp_path_factory, files):
    desk = library(tmp_path_factory.mktemp("desk"), files)
    contents: dict[bytes, set[str]] = {}
    for path in filter(Path.is_file, [*desk.top.glob("place/**/*"), *desk.top.glob("shelf/**/*")]):
        contents.setdefault(path.read_bytes(), set()).add(str(path))
    for line in (half for pair in HALVES.items() for half in pair):
        words = line.replace("PLACE", str(desk.place)).split()
        named = {each["path"] for each in desk.ask("list", *words)["files"]}
        told = desk.ask("duplicates", *words)["totals"]
        sets = [(len(body), len(paths), len(paths & named)) for body, paths in contents.items() if len(paths) > 1]
        spares = [(size, min(copies - 1, fit)) for size, copies, fit in sets if fit]
        expected = (len(spares), sum(n for _, n in spares), sum(size * n for size, n in spares))
        assert (told["sets"], told["spares"], told["reclaimable"]) == expected, line


def test_a_page_proposes_what_the_docket_does(desk: Desk):
    files = [("place", "2021/kite day", "a.jpg"), ("place", "old laptop/dump", "copy of a.jpg")]
    desk = library(desk.top, {file: (0, age) for age, file in enumerate(files)})
    under = ("--under", desk.place / "2021")
    assert goes(desk, *under) == set()
    page = desk.top / "sheet.html"
    assert desk.run("sheet", "-o", page, *under).status == 0
    assert '"fold"' not in re.findall(r"<script[^>]*json[^>]*>(.*?)</script>", page.read_text(), re.DOTALL)[0]


NARROWINGS = (
    "--kind photo", "--kind audio", "--name *1*", "--not-name *2*", "--larger-than 120", "--smaller-than 120",
    "--older-than 1y", "--under PLACE", "--place place", "--role working", "--protect PLACE", "--protect *.jpg",
    "--protect role:backup",
)  # fmt: skip
"""Options that narrow what may go, or add to what stays, whatever else is asked."""


@pytest.mark.more
@pytest.mark.parametrize("mess", [each for each in MESSES if "--role" not in each.words], ids=lambda mess: mess.name)
def test_no_option_that_narrows_turns_the_choice_of_a_mess_round(desk: Desk, mess):
    make(mess, desk)
    whole = set(proposed(mess, desk))
    for line in NARROWINGS:
        if line.split()[0] in mess.words:  # said twice, it names both
            continue
        desk.docket.unlink()
        assert set(proposed(replace(mess, words=f"{mess.words} {line}"), desk)) <= whole, line


BY_NAME = ("first by name", "shortest path", "its name", "its folder's name", "in a", "on an", "among", "on the")
"""What reasons begin with in which a name is the reason."""


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.dictionaries(st.sampled_from(("a.jpg", "b.mov", "c.jpg", "d.wav", "sub/e.jpg", "sub/f.jpg")),
                    st.tuples(st.integers(0, 2), st.integers(0, 2)), min_size=2, max_size=6),
    st.dictionaries(st.sampled_from(("g.jpg", "h.jpg", "sub/i.jpg")), st.sampled_from("01"), max_size=3),
)  # fmt: skip
def test_two_places_that_change_names_change_roles_but_where_a_name_is_a_reason(tmp_path_factory, both, alone):
    """What lies in the one lies in the other, and the other way about: the keepers change places with it."""
    kept = []
    for names in (("one", "two"), ("two", "one")):
        desk = Desk(tmp_path_factory.mktemp("desk"))
        for side, name in enumerate(names):
            desk.place = desk.top / name
            for path, ages in both.items():
                desk.write(path, path.encode() * 30, 1_750_000_000 + ages[side])
            for path, where in alone.items():
                if where == str(side):
                    desk.write(path, path.encode() * 30)
            desk.place.mkdir(exist_ok=True)
        for name in ("one", "two"):
            desk.run("scan", desk.top / name)
        assert desk.run("keep", "-o", desk.docket).status == 0
        with desk.docket.open(newline="") as stream:
            rows = [row for row in csv.DictReader(stream) if row["action"] == "keep"]
        found = {}
        for row in rows:
            name, _, path = row["path"].removeprefix(f"{desk.top}/").partition("/")
            found[path] = (names.index(name), row["reason"].removeprefix("its folder stays together: "))
        kept.append(found)
    for path, (side, why) in kept[0].items():
        other, other_why = kept[1][path]
        assert side == other or (why.startswith(BY_NAME) and other_why.startswith(BY_NAME)), (path, why, other_why)
