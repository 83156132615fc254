"""Sets of files with one essence: found without reading what cannot be one, and told with what each says."""

import csv
import os
from pathlib import Path

import pytest
from PIL import Image

from harness.desks import Desk
from harness.essences import made, saved, tagged, worded


def found(desk: Desk, *words: str) -> list[dict]:
    return desk.ask("duplicates", "--same", "essence", *words)["sets"]


def names(each: dict) -> list[str]:
    return [Path(copy["path"]).name for copy in each["copies"]]


@pytest.fixture
def library(desk: Desk) -> Desk:
    """Two photos and a song that were written into, copies of them, and what only looks so."""
    desk.write("kite.jpg", made("still.jpg"))
    desk.write("rated.jpg", worded("still.jpg"))
    desk.write("rated again.jpg", worded("still.jpg"))
    os.link(desk.place / "kite.jpg", desk.place / "the same kite.jpg")
    desk.write("other.jpg", made("still.jpg", 5))
    desk.write("march.mp3", made("march.mp3"))
    tagged(desk.write("encore.mp3", made("march.mp3")), "Encore")
    desk.write("half.jpg", made("still.jpg")[:3000])
    desk.write("clip.jpg", made("still.jpg") + made("kites.mp4"))
    desk.write("letter.jpg", b"Dear desk, ")
    desk.write("empty.jpg", b"")
    desk.ask("scan", desk.place)
    return desk


def test_what_was_written_into_is_found_with_what_each_copy_says(library: Desk):
    photos, songs = found(library)
    assert names(photos) == ["kite.jpg", "rated again.jpg", "rated.jpg", "the same kite.jpg"]
    assert [copy["says"]["rating"] for copy in photos["copies"]] == ["", "4 of 5", "4 of 5", ""]
    assert [copy["says"]["caption"] for copy in photos["copies"]] == ["", "Over the sea", "Over the sea", ""]
    assert [copy["rest"] > 0 for copy in photos["copies"]] == [False, True, True, False]
    # One that is rated stays; nothing else is written in the others.
    assert photos["reclaimable"] == len(made("still.jpg")) + len(worded("still.jpg"))
    assert (photos["same"], photos["essence_of"], photos["digest"]) == ("essence", "jpeg", None)
    assert names(songs) == ["encore.mp3", "march.mp3"]
    assert songs["copies"][0]["says"]["title"] == "Encore"
    told = library.run("duplicates", "--same", "essence").out
    assert "title: Encore" in told
    (shown,) = library.ask("show", songs["id"])["shown"]
    assert shown == songs
    side_by_side = library.run("show", songs["id"]).out
    assert "title" in side_by_side
    assert "Encore" in side_by_side.partition("title")[2]
    (one,) = library.ask("show", library.place / "march.mp3")["shown"]
    assert (one["essence_set"], [each["path"] for each in one["other_words"]]) == (
        songs["id"], [str(library.place / "encore.mp3")]
    )  # fmt: skip
    assert "encore.mp3" in library.run("show", library.place / "march.mp3").out
    assert "no rating; no caption" in told
    table = library.top / "sets.csv"
    library.run("duplicates", "--same", "essence", "--csv", table)
    rows = {row["path"].rpartition("/")[2]: row for row in csv.DictReader(table.read_text().splitlines())}
    assert rows["encore.mp3"]["says"].startswith("title: Encore")
    assert rows["rated.jpg"]["says"] == "rating: 4 of 5; caption: Over the sea"


def test_sets_of_contents_and_of_essences_are_asked_as_one(library: Desk):
    """Each file is in one set; a set of one content is told as such, unless other contents have its essence."""
    for name in ("one", "two"):
        library.write(f"{name}/other.jpg", made("still.jpg", 5))
    library.ask("scan", library.place)
    both = library.ask("duplicates", "--same", "content,essence")
    found_as = sorted((each["same"], len(each["copies"])) for each in both["sets"])
    assert found_as == [("content", 3), ("essence", 2), ("essence", 4)]
    saved_by = [each["reclaimable"] for each in both["sets"]]
    assert saved_by == sorted(saved_by, reverse=True)
    apart = [library.ask("duplicates", "--same", word) for word in ("content", "essence")]
    assert both["totals"]["sets"] == 3
    assert [each["totals"]["sets"] for each in apart] == [2, 2], "the two that are rated are one content"
    settings = library.top / "settings.toml"
    settings.write_text('[keep]\nsame = "content,essence"\n')
    assert library.ask("duplicates", "--config", settings) == both
    assert "folders" in library.ask("duplicates", "--folders", "--config", settings)
    done = library.ask("keep", "-o", library.docket, "--config", settings)
    assert (done["sets"], done["spares"]) == (3, both["totals"]["spares"] + 1), "both names of a hard link go"
    assert done["reclaimable"] == both["totals"]["reclaimable"]
    told = library.run("duplicates", "--same", "content,essence").out
    assert "photo, 3 × " in told
    assert "title: Encore" in told


def test_a_file_that_changed_is_asked_again_and_others_are_not(library: Desk, monkeypatch):
    found(library)
    monkeypatch.setattr("foldkeep.signals.helpers.Helpers.submit", lambda *_: pytest.fail("asked again"))
    assert len(found(library)) == 2
    monkeypatch.undo()
    library.write("encore.mp3", made("march.mp3", 5))
    library.ask("scan", library.place)
    assert [names(each)[0] for each in found(library)] == ["kite.jpg"]
    assert found(library, "--kind", "audio") == []
    assert names(found(library, "--name", "rated*")[0])[0] == "kite.jpg", "a set is listed of which a copy fits"


def test_places_of_each_role_are_compared_among_themselves(library: Desk):
    shelf = library.top / "shelf"
    shelf.mkdir()
    (shelf / "kite.jpg").write_bytes(worded("still.jpg", rating=2))
    library.ask("scan", shelf, "--role", "backup")
    photos, _ = found(library)
    assert (len(photos["copies"]), photos["backed_up"]) == (4, ["shelf"])
    across, _ = found(library, "--across")
    assert len(across["copies"]) == 5
    assert across["copies"][-1]["says"]["rating"] == "2 of 5"


def test_words_that_turn_a_picture_are_told(desk: Desk):
    exif = Image.Exif()
    exif[0x0112] = 6
    desk.write("kite.jpg", made("still.jpg"))
    desk.write("turned.jpg", saved("JPEG", quality=85, exif=exif, icc_profile=b"a profile"))
    desk.ask("scan", desk.place)
    (photos,) = found(desk)
    assert [set(copy["changes_sight"]) for copy in photos["copies"]] == [set(), {"orientation", "profile"}]
    told = desk.run("duplicates", "--same", "essence").out
    assert "upright; no profile" in told
    assert "profile: " in told.partition("turned.jpg")[2]


def test_what_essences_are_not_compared_with_is_refused(library: Desk):
    inventory = library.top / "drive.fki"
    library.ask("inventory", "save", inventory)
    for words in (("--same", "essence,name"), ("--same", "essence", "--folders"),
                  ("--same", "essence", "--inventory", inventory), ("--same", "essense"),
                  ("--same", "essence", "--sort", "colour")):  # fmt: skip
        assert library.run("duplicates", *words).status == 2
    assert found(library)
    library.ask("places", "--forget", library.place)
    assert found(library) == []


def test_what_the_copies_say_stands_side_by_side_where_a_person_decides(library: Desk):
    library.ask("keep", "--same", "essence", "-o", library.docket)
    asked = library.run("review", library.docket, answer="\n").out
    assert [line for line in asked.splitlines() if "rating" in line and "caption" in line and "proposed" in line]
    assert "4 of 5" in asked
    library.ask("sheet", library.docket, "-o", library.top / "sheet.html")
    page = (library.top / "sheet.html").read_text()
    assert page.count('"says":"rating 4 of 5; caption Over the sea"') == 2
    assert page.count('"says":"no rating; no caption"') == 2
    assert '"says":"title Encore' in page
