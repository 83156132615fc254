"""What is only alike what stays goes by a person's word alone, measured again, and asked for again at the end."""

import csv
import io
import os
from collections.abc import Callable
from pathlib import Path

import pytest
from PIL import Image

from foldkeep.demo.pictures import jpeg
from foldkeep.demo.sounds import encoded, film, proxy, tune, wav
from foldkeep.keep.dockets import alike as measuring
from harness.desks import Desk, edit, edit_quietly

LARGE = jpeg(3, "Kite 1", "2025:06:14 09:12:03")


def reduced(content: bytes) -> bytes:
    stream = io.BytesIO()
    Image.open(io.BytesIO(content)).resize((300, 200)).save(stream, "JPEG", quality=80)
    return stream.getvalue()


@pytest.fixture
def chosen(desk: Desk) -> Desk:
    """A desk with two versions of a picture, of which a person has decided that the smaller one stays."""
    desk.write("large.jpg", LARGE)
    desk.write("small.jpg", reduced(LARGE))
    desk.write("other.jpg", jpeg(8, "Kite 1", "2025:06:15 10:00:00"))
    desk.ask("scan", desk.place)
    desk.ask("alike", "-o", desk.docket)
    decide(desk, {"large.jpg": "fold", "small.jpg": "keep"})
    return desk


def decide(desk: Desk, actions: dict[str, str], **cells: str) -> None:
    """Write actions, and other cells as `name_of_column="file=value"`, into the docket."""

    def decided(row: dict[str, str]) -> dict[str, str]:
        name = Path(row["path"]).name
        said = {column: told.removeprefix(f"{name}=") for column, told in cells.items() if told.startswith(f"{name}=")}
        return {**row, **said, "action": actions.get(name, row["action"])}

    edit(desk.docket, decided)


def digest_of(desk: Desk, name: str) -> str:
    with desk.docket.open(newline="") as stream:
        return next(row["digest"] for row in csv.DictReader(stream) if Path(row["path"]).name == name)


def test_it_goes_by_a_word_of_its_own_and_for_good_by_another(chosen: Desk):
    plain = chosen.ask("fold", chosen.docket, "--yes")
    assert (plain["folded"], plain["alike"]) == (0, [])
    assert "another content" in plain["left"][0]["reason"]
    asked = chosen.run("fold", chosen.docket, "--allow-alike", answer="n\n")
    assert "Fold 1 file, 1 of them only alike what stays?" in asked.out + asked.err
    folded = chosen.ask("fold", chosen.docket, "--yes", "--allow-alike")
    assert (folded["folded"], folded["left"]) == (1, [])
    (alike,) = folded["alike"]
    assert (Path(alike["keeper"]["path"]).name, alike["strength"]) == ("small.jpg", "strong")
    said = "; ".join(alike["only"])
    assert all(word in said for word in ("more pixels", "when it was taken", "the camera's data")), said
    run = str(folded["run"])
    (told,) = chosen.ask("ledger", run)["runs"][0]["details"]
    assert told["proof"] == "likeness"
    assert chosen.ask("ledger", "--verify", run)["verified"] == 1
    for words in ((), ("--allow-last-copy",), ("--likely",)):
        released = chosen.ask("release", run, "--yes", *words)
        assert (released["released"], "--allow-alike" in released["left"][0]["reason"]) == (0, True)
    assert chosen.ask("unfold", run)["restored"] == 1
    assert (chosen.place / "large.jpg").read_bytes() == LARGE
    again = str(chosen.ask("fold", chosen.docket, "--yes", "--allow-alike")["run"])
    assert chosen.ask("release", again, "--yes", "--allow-alike")["released"] == 1
    assert sorted(os.listdir(chosen.place)) == ["other.jpg", "small.jpg"]


@pytest.mark.parametrize("method", ["delete", "bin", "hard-link", "symlink", "clone"])
def test_no_method_takes_it_that_cannot_be_taken_back(chosen: Desk, method):
    more = ["--for-good"] if method == "delete" else []
    refused = chosen.run("fold", chosen.docket, "--yes", "--allow-alike", "--method", method, *more)
    assert (refused.status, "use --method fold" in refused.err) == (2, True)
    assert (chosen.place / "large.jpg").read_bytes() == LARGE


LIES: dict[str, tuple[Callable[[Desk], None], str]] = {
    "another file": (lambda desk: decide(desk, {}, uri=f"large.jpg={(desk.place / 'other.jpg').as_uri()}"), "not"),
    "another digest": (lambda desk: decide(desk, {}, digest=f"large.jpg=blake3:{'0' * 64}"), "not what the docket"),
    "the digest of the keeper": (
        lambda desk: decide(desk, {}, digest=f"large.jpg={digest_of(desk, 'small.jpg')}"), "is not what the docket says"
    ),
    "another digest of the keeper": (
        lambda desk: decide(desk, {}, digest=f"small.jpg=blake3:{'0' * 64}"), "not what the docket says"
    ),
    "no digest": (lambda desk: decide(desk, {}, digest="large.jpg="), "differ now"),
    "no digest of the keeper": (lambda desk: decide(desk, {}, digest="small.jpg="), "another content"),
    "another kind": (lambda desk: decide(desk, {}, kind="large.jpg=audio"), "can be alike"),
}  # fmt: skip


@pytest.mark.parametrize("lie", LIES)
def test_no_cell_of_a_docket_makes_it_go(chosen: Desk, lie):
    tell, why = LIES[lie]
    tell(chosen)
    answer = chosen.ask("fold", chosen.docket, "--yes", "--allow-alike")
    assert answer["folded"] == 0
    assert why in answer["left"][0]["reason"], answer["left"]
    assert (chosen.place / "large.jpg").read_bytes() == LARGE


@pytest.mark.parametrize(
    ("name", "why"), [("large.jpg", "its content is not what the docket says"), ("small.jpg", "is another file now")]
)
def test_a_hand_between_the_measuring_and_the_fold_is_seen(chosen: Desk, monkeypatch, name, why):
    real = measuring.alike_now

    def then_edited(*files):
        found = real(*files)
        edit_quietly(chosen.place / name, b"edited")  # of the same size, with its times put back
        return found

    monkeypatch.setattr(measuring, "alike_now", then_edited)
    answer = chosen.ask("fold", chosen.docket, "--yes", "--allow-alike")
    assert (answer["folded"], why in answer["left"][0]["reason"]) == (0, True), answer


@pytest.mark.parametrize("what", ["keeper gone", "keeper edited", "keeper folded", "spare edited"])
def test_it_is_not_deleted_when_anything_is_not_what_was_measured(chosen: Desk, what):
    run = str(chosen.ask("fold", chosen.docket, "--yes", "--allow-alike")["run"])
    if what == "keeper gone":
        (chosen.place / "small.jpg").unlink()
    elif what == "keeper folded":
        chosen.write("copy.jpg", (chosen.place / "small.jpg").read_bytes())
        chosen.proposed()
        decide(chosen, {"copy.jpg": "keep", "small.jpg": "fold"})
        assert chosen.ask("fold", chosen.docket, "--yes")["folded"] == 1
    else:
        (slot,) = chosen.place.glob(".foldkeep/*/files/0*")
        edit_quietly(chosen.place / "small.jpg" if what == "keeper edited" else slot, b"edited")
    released = chosen.ask("release", run, "--yes", "--allow-alike")
    assert (released["released"], len(released["left"])) == (0, 1), released


def test_films_and_sounds_go_so_too(desk: Desk):
    notes = [0, 4, 7, 5, 2, 9, 4, 7, 0, 2, 5, 7, 11, 4, 2, 0, -3, 2, 7, 9, 5, 4, 0, 12, 7, 4, 9, 2, 5, 0, 7, 2]
    desk.write("march.wav", wav(tune(notes)))
    desk.write("march.mp3", encoded(tune(notes), "mp3", {"title": "March"}))
    desk.write("stage.mp4", film(502, 5.0))
    desk.write("stage.mov", proxy(film(502, 5.0)))
    desk.ask("scan", desk.place)
    assert len(desk.ask("alike", "-o", desk.docket)["groups"]) == 2
    decide(desk, {"march.wav": "fold", "march.mp3": "keep", "stage.mp4": "fold", "stage.mov": "keep"})
    answer = desk.ask("fold", desk.docket, "--yes", "--allow-alike")
    assert (answer["folded"], answer["left"]) == (2, [])
    assert {Path(each["path"]).name: "; ".join(each["only"]) for each in answer["alike"]} == {
        "march.wav": "more data: 353 kbit/s, its keeper 32",
        "stage.mp4": "more pixels: 480 × 270, its keeper 240 × 136; more data: 925 kbit/s, its keeper 227",
    }
