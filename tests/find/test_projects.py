"""Projects: what makes one, what it is made of, who uses whose media, how long nothing happened in it."""

import json
import os
from pathlib import Path

import pytest

from harness.desks import Desk, TrustingDesk

EDL = "TITLE: cut\n{}"
EVENT = "001  AX  V  C  0 1 0 1\n* {}: {}\n"
DAY = 86_400


@pytest.fixture
def desk(tmp_path: Path) -> Desk:
    """What a recipe's word is worth is asked in test_evidence.py; here all of them are trusted."""
    return TrustingDesk(tmp_path)


def states(desk: Desk, *words: str) -> dict[str, dict]:
    found = desk.ask("projects", *words)["projects"]
    return {str(Path(each["path"]).relative_to(desk.place)): each for each in found}


def test_nested_ones_belong_to_the_outermost_and_a_stray_document_makes_no_project_of_a_place(desk: Desk):
    desk.write("stray.edl", EDL.format(EVENT.format("FROM CLIP NAME", "x")).encode())
    desk.write("day 1/edit/cut.otio", b'{"OTIO_SCHEMA": "Timeline.1"}')
    desk.write("day 1/edit/reel/teaser.otio", b'{"OTIO_SCHEMA": "Timeline.1"}')
    desk.write("day 1/edit/reel/kite.mp4", b"k" * 50)
    desk.write("marked/plan.kite", b"k")
    desk.write("held/one/a.mp4", b"one")
    desk.write("held/two/deep/a.mp4", b"two")
    desk.write("held/loose.mp4", b"in no project")
    desk.ask("scan", desk.place)
    assert set(states(desk)) == {"day 1/edit"}
    assert states(desk)["day 1/edit"]["parts"]["originals"] == {"files": 1, "bytes": 50}
    several = states(desk, "--project-marker", "*.kite", "--inside", str(desk.place / "held"))
    assert set(several) == {"day 1/edit", "marked", "held/one", "held/two"}
    (desk.top / "config/foldkeep").mkdir(parents=True)
    (desk.top / "config/foldkeep/settings.toml").write_text(
        f'[projects]\nmarkers = ["*.kite"]\ninside = ["{desk.place}/held"]\nquiet_after = "100y"\n'
    )
    assert set(states(desk)) == set(several)
    assert {each["state"] for each in states(desk).values()} == {"active"}
    only = desk.ask("projects", "--under", desk.place / "held/two")["projects"]
    assert [Path(each["path"]).name for each in only] == ["two"]
    # A place that is nothing but one project is one.
    alone = Desk(desk.top)
    alone.stock = desk.top / "other.sqlite3"
    alone.ask("scan", desk.place / "marked")
    assert len(alone.ask("projects", "--project-marker", "*.kite")["projects"]) == 1


def test_parts_activity_and_media_from_elsewhere(desk: Desk):
    old, new = 1_500_000_000, 1_600_000_000
    uses = {"OTIO_SCHEMA": "Timeline.1", "clips": [
        {"OTIO_SCHEMA": "ExternalReference.1", "target_url": "../sound/march%20one.wav"},
        {"OTIO_SCHEMA": "ExternalReference.1", "target_url": "media/a.mp4"}]}  # fmt: skip
    desk.write("march/cut.otio", json.dumps(uses).encode(), old)
    desk.write("march/media/a.mp4", b"a" * 100, old)
    desk.write("march/notes.txt", b"n" * 10, old)
    desk.write("march/plugin.bin", b"b" * 7, new)
    desk.write("march/cache/v1/f.bin", b"c" * 1000, new)
    desk.write("march/proxies/a.mov", b"p" * 30, new)
    desk.write("march/proxies/lost.mov", b"l" * 40, old)
    desk.write("sound/march one.wav", b"s" * 500)
    lists = EVENT.format("SOURCE FILE", "../march/media/a.mp4") + EVENT.format("FROM CLIP NAME", "only.mp4")
    desk.write("waltz/cut.edl", EDL.format(lists).encode(), new)
    desk.write("stock shots/only.mp4", b"o" * 60)
    xml = f'<a href="{(desk.place / "sound/march one.wav").as_uri()}"/><b>a.mp4</b>'
    desk.write("text/cut.fcpxml", xml.encode(), new)
    desk.write("blind/cut.aaf", b"\0\1", new)
    desk.ask("scan", desk.place)
    answer = desk.run("projects", "--json")
    assert answer.status == 1
    found = {Path(each["path"]).name: each for each in answer.json["projects"]}
    assert list(found) == ["march", "blind", "text", "waltz"]
    march = found["march"]
    assert {part: said["bytes"] for part, said in march["parts"].items()} == {
        "originals": 140, "finished": 0, "generated": 1030, "documents": len(json.dumps(uses)) + 10, "other": 7,
    }  # fmt: skip
    assert (march["changed"], march["state"]) == ("2017-07-14T02:40:00Z", "quiet")
    outside = {name: [Path(each["path"]).name for each in said["outside"]] for name, said in found.items()}
    # In a text a name alone may be anybody's; with its folder it is that file.
    assert outside == {
        "march": ["march one.wav"],
        "waltz": ["a.mp4", "only.mp4"],
        "text": ["march one.wav"],
        "blind": [],
    }
    assert [(Path(user["path"]).name, user["files"]) for user in march["used_by"]] == [("waltz", 1)]
    assert "what it uses from elsewhere is not known" in found["blind"]["problems"][0]["reason"]
    shown = desk.run("projects").out
    assert "4 projects, " in shown
    assert "waltz uses 1 file of march: archive them together, or keep it." in shown
    desk.write("march/notes.txt", b"again", 4_000_000_000)
    desk.ask("scan", desk.place)
    assert states(desk)["march"]["state"] == "active"
    assert states(desk, "--quiet-after", "100y")["waltz"]["state"] == "active"


@pytest.mark.parametrize("suffix", ["png", "svg"])
def test_bars_are_drawn_and_what_was_archived_is_told(desk: Desk, suffix: str):
    for name in ("march", "waltz"):
        desk.write(f"{name}/cut.edl", EDL.format(EVENT.format("FROM CLIP NAME", "a.mp4")).encode())
        desk.write(f"{name}/a.mp4", name.encode() * 100)
    desk.ask("scan", desk.place)
    picture = desk.top / f"projects.{suffix}"
    drawn = desk.ask("projects", "--plot", picture)["drawn"]
    assert drawn == str(picture)
    start = picture.read_bytes()
    assert start.startswith(b"\x89PNG" if suffix == "png" else b"<?xml")
    if suffix == "svg":
        assert all(word in start.decode() for word in ("march", "waltz", "originals", "quiet"))
    assert "No package is known" in desk.run("projects", "--archived").out
    desk.ask("archive", desk.place / "march", "--to", desk.top)
    assert states(desk)["march"]["state"] == "archived"
    assert states(desk)["march"]["package"]["path"] == str(desk.top / "march")
    shown = desk.run("projects", "--archived", "--name", "a.*").out
    assert str(desk.place / "march/a.mp4") in shown
    assert desk.run("projects", "--name", "a.*").status == 2
    told = desk.run("show", desk.place / "march/a.mp4")
    assert f"in the package {desk.top / 'march'}" in told.out
    os.utime(desk.place / "march/a.mp4", (4_000_000_000,) * 2)
    desk.ask("scan")
    assert states(desk)["march"]["state"] == "active"


def test_without_projects_that_is_said(desk: Desk):
    desk.write("a.mp4")
    desk.ask("scan", desk.place)
    assert "No project was found." in desk.run("projects").out
    assert desk.ask("projects")["projects"] == []
