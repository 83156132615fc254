"""The check-up: what is there, what of it is new, what wants a person; and that nothing is changed."""

import os
import sqlite3
from collections import Counter
from contextlib import closing

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from foldkeep.find.space import usage
from harness.desks import Desk, listing

YEAR = 366 * 86_400


def found(desk: Desk, *words: str) -> dict:
    """Return what a check-up finds, by topic."""
    return {each["topic"]: each for each in desk.ask("checkup", *words)["findings"]}


def set_back(desk: Desk, statement: str, *values: object) -> None:
    with closing(sqlite3.connect(desk.stock)) as stock, stock:
        stock.execute(statement, values)


def test_what_is_new_wants_a_person_once_and_nothing_is_changed(sample_desk: Desk):
    desk = sample_desk
    desk.ask("scan", desk.place)
    before = listing(desk.place)
    first = desk.run("checkup")
    assert (first.status, first.err) == (1, "")
    assert "4 of 9 things need attention." in first.out
    for line in ("! spares", "! once", "! caches", "! projects", "  drives    every drive is here"):
        assert f"\n{line}" in first.out
    again = desk.run("checkup")
    assert again.status == 0
    assert again.out.splitlines()[-1].startswith("Nothing is new; still open: ")
    kite = (desk.place / "stills/camera-a/day-1/WKD_0003.jpg").read_bytes()
    desk.write("one.jpg", kite)
    desk.write("two.jpg", kite)
    spares = found(desk)["spares"]
    assert (spares["new"], spares["new_bytes"], spares["wants_you"]) == (2, 2 * len(kite), True)
    assert found(desk)["spares"]["new"] == 0
    for name in ("one.jpg", "two.jpg"):
        (desk.place / name).unlink()
    assert listing(desk.place) == before
    assert not (desk.place / ".foldkeep").exists()


@settings(max_examples=15, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    rounds=st.lists(
        st.lists(st.sampled_from([b"kite", b"meadow wind", b"line of a kite"]), max_size=7), min_size=2, max_size=3
    )
)
def test_new_spares_are_those_that_were_not_there(tmp_path_factory, rounds: list[list[bytes]]):
    desk = Desk(tmp_path_factory.mktemp("desk"))
    desk.write("alone.jpg", b"one of its kind")
    desk.ask("scan", desk.place)
    found(desk)
    then: Counter[bytes] = Counter()
    for contents in rounds:
        for path in desk.place.glob("kite*"):
            path.unlink()
        for number, content in enumerate(contents):
            desk.write(f"kite {number}.jpg", content, modified=1_750_000_000 + len(content))
        now = Counter({content: count - 1 for content, count in Counter(contents).items()})
        spares = found(desk, "--only", "spares")["spares"]
        new = {content: max(0, count - then[content]) for content, count in now.items()}
        assert (spares["count"], spares["new"]) == (now.total(), sum(new.values()))
        assert spares["new_bytes"] == sum(len(content) * count for content, count in new.items())
        then = now


@pytest.mark.usefixtures("known_volume")
def test_what_presses_wants_a_person_each_time(desk: Desk, monkeypatch):
    for name in ("kite.jpg", "old/kite.jpg"):
        desk.write(name, b"k" * 9000)
    desk.write("song.mp3", b"la" * 900, modified=1_600_000_000)
    desk.write("list.m3u", b"song.mp3\ngone.mp3\n")
    desk.proposed()
    desk.ask("fold", desk.docket, "--yes")
    assert desk.run("catalog", "add", "stage", desk.place / "list.m3u").status == 0
    config = desk.top / "config/foldkeep/settings.toml"
    config.parent.mkdir(parents=True)
    config.write_text('[fold]\nrelease_after = "0d"\n')
    first = found(desk)
    assert (first["folds"]["count"], first["folds"]["command"]) == (1, "foldkeep release --older-than 0d")
    assert (first["catalogs"]["count"], first["catalogs"]["items"][0]["name"]) == (1, "stage")
    assert (first["fixity"]["wants_you"], first["space"]["wants_you"], first["drives"]["count"]) == (False, False, 0)

    monkeypatch.setattr(usage, "room_on", lambda _: (1000, 50))
    set_back(desk, "UPDATE scans SET started_ns = started_ns - ?", 2 * YEAR * 10**9)
    desk.rot("kite.jpg")
    assert desk.run("fixity").status == 1
    set_back(
        desk, "UPDATE checks SET checked_ns = checked_ns - ? WHERE CAST(subject AS TEXT) LIKE '%song.mp3'", YEAR * 10**9
    )
    second = found(desk)
    assert (second["space"]["count"], second["space"]["bytes"]) == (1, 100)
    assert second["space"]["command"].startswith("foldkeep room --until-free 15% --volume ")
    assert [item["path"] for item in second["fixity"]["items"]] == [str(desk.place / "kite.jpg")]
    assert (second["fixity"]["unread"], second["fixity"]["unread_bytes"]) == (1, 1800)
    assert not second["catalogs"]["wants_you"], "that was told the last time"
    (desk.place / "list.m3u").unlink()
    assert found(desk)["catalogs"]["items"][0]["problem"]

    away = desk.place.rename(desk.top / "cupboard")
    told = found(desk)["drives"]
    assert (told["count"], told["wants_you"]) == (1, False)
    set_back(desk, "UPDATE places SET scanned_ns = scanned_ns - ?", 45 * 86_400 * 10**9)
    answer = desk.run("checkup", "--only", "drives")
    assert (answer.status, "place: not seen for 45 days" in answer.out) == (1, True)
    away.rename(desk.place)


def test_only_one_topic_leaves_the_others_news_for_later(desk: Desk):
    for name in ("kite.jpg", "old/kite.jpg"):
        desk.write(name, b"k" * 9000)
    desk.ask("scan", desk.place)
    assert list(found(desk, "--only", "space", "--only", "once")) == ["space", "once"]
    assert found(desk)["spares"]["wants_you"]
    assert not found(desk)["once"]["wants_you"]


def test_nothing_one_and_unreadable(desk: Desk, tmp_path):
    assert desk.run("checkup").err.startswith("foldkeep checkup: there is no stock yet")
    desk.ask("scan", desk.place)
    empty = desk.run("checkup")
    assert (empty.status, empty.out.splitlines()[-1]) == (0, "Nothing needs attention.")
    desk.write("kite.jpg")
    assert found(desk)["once"]["count"] == 1
    assert desk.run("places", "--forget", desk.place).status == 0
    assert desk.run("checkup").err == "foldkeep checkup: no place is known yet; name a folder: foldkeep scan DIR\n"


@pytest.mark.parametrize("name", [b"<script>alert(1)</script>", b"kite & \xff \x1b[31m", b"\"'{{ 7*7 }}"])
def test_names_are_text_in_the_page(desk: Desk, name: bytes):
    desk.write(b"work/" + name + b"/cut.otio", b"{}", modified=1_600_000_000)
    desk.write(b"work/" + name + b"/kite.mov", b"k" * 900, modified=1_600_000_000)
    desk.ask("scan", desk.place)
    page = desk.top / "page.html"
    answer = desk.run("checkup", "--html", page)
    assert (answer.status, f"Page: {page}" in answer.out) == (1, True)
    text = page.read_text()
    assert "<script" not in text
    assert "\x1b" not in text
    assert "49" not in text.replace(str(desk.top), "").partition("<body>")[2].partition("projects")[2][:400]
    assert desk.run("checkup", "--html", page).out.splitlines()[-1] == f"Page: {desk.top / 'page-2.html'}"
    os.utime(page)
