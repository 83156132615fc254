"""Files that decode to the same: found by headers first, told with what was compared, and gone by a person's word."""

import csv
from pathlib import Path

import pytest

from harness.containers import filmed, recorded, remuxed, scanned
from harness.desks import Desk, edit, edit_quietly


@pytest.fixture
def library(desk: Desk) -> Desk:
    """A recording and a scan in two formats, a film in two containers, and what is none of those."""
    desk.write("march.wav", recorded("wav", "pcm_s16le"))
    desk.write("sent/march.flac", recorded("flac", "flac"))
    desk.write("march, mixed again.flac", recorded("flac", "flac", 1))
    desk.write("map.tif", scanned("TIFF"))
    desk.write("map.png", scanned("PNG"))
    desk.write("map, retouched.png", scanned("PNG", 5))
    desk.write("stage.mp4", filmed())
    desk.write("stage.mkv", remuxed(filmed(), "matroska"))
    desk.write("letter.txt", b"Dear desk")
    desk.ask("scan", desk.place)
    return desk


def names(each: dict) -> list[str]:
    return sorted(Path(copy["path"]).name for copy in each["copies"])


def test_they_are_found_with_what_was_compared(library: Desk):
    answer = library.ask("duplicates", "--same", "decoded")
    sets = {names(each)[0]: each for each in answer["sets"]}
    assert {name: names(each) for name, each in sets.items()} == {
        "map.png": ["map.png", "map.tif"], "march.flac": ["march.flac", "march.wav"],
        "stage.mkv": ["stage.mkv", "stage.mp4"],
    }  # fmt: skip
    song = sets["march.flac"]
    assert (song["same"], song["compared"]) == ("decoded", "44,100 samples of sound at 44,100 Hz")
    assert song["reclaimable"] == len(recorded("wav", "pcm_s16le"))
    assert [copy["says"]["format"] for copy in song["copies"]] == ["WAVE", "FLAC"]
    told = library.run("duplicates", "--same", "decoded").out
    assert all(word in told for word in ("160 × 120 pixels", "25 packets of pictures (h264)", "TIFF", "Matroska"))
    assert library.ask("show", song["id"])["shown"] == [song]
    assert [names(each) for each in library.ask("duplicates", "--same", "decoded", "--kind", "audio")["sets"]] == [
        names(song)
    ]
    assert library.ask("duplicates")["sets"] == []
    refused = library.run("duplicates", "--same", "decoded,content")
    assert (refused.status, "say --same decoded" in refused.err) == (2, True)


def test_what_was_decoded_is_remembered_until_it_changes(library: Desk):
    before = library.ask("duplicates", "--same", "decoded")
    again = library.run("duplicates", "--same", "decoded")
    assert "Decoding" not in again.err
    assert library.ask("duplicates", "--same", "decoded") == before
    library.write("map.tif", scanned("TIFF", 9, compression="tiff_lzw"))
    library.ask("scan")
    assert len(library.ask("duplicates", "--same", "decoded")["sets"]) == 2
    (library.place / "stage.mkv").unlink()
    assert len(library.ask("duplicates", "--same", "decoded")["sets"]) == 2  # what the stock knows, until it is scanned
    library.ask("scan")
    assert [names(each) for each in library.ask("duplicates", "--same", "decoded")["sets"]] == [
        ["march.flac", "march.wav"]
    ]


def test_the_same_pictures_at_other_moments_are_a_set_of_their_own(desk: Desk):
    def late(packet, number: int) -> None:
        if packet.stream.type == "video" and number >= 10:
            packet.pts += round(0.04 / packet.time_base)

    desk.write("stage.mp4", filmed())
    desk.write("stage.mkv", remuxed(filmed(), "matroska"))
    desk.write("late.mkv", remuxed(filmed(), "matroska", late))
    desk.write("late.ts", remuxed(remuxed(filmed(), "matroska", late), "mpegts"))
    desk.ask("scan", desk.place)
    sets = desk.ask("duplicates", "--same", "decoded")["sets"]
    assert sorted(map(names, sets)) == [["late.mkv", "late.ts"], ["stage.mkv", "stage.mp4"]]
    assert len({each["id"] for each in sets}) == 2, "a docket must not take them for one"
    assert [desk.ask("show", each["id"])["shown"] for each in sets] == [[each] for each in sets]


def decided(library: Desk, action: str, *going: str) -> None:
    edit(library.docket, lambda row: {**row, "action": action if Path(row["path"]).name in going else row["action"]})


def test_none_goes_but_by_a_person(library: Desk):
    proposed = library.ask("keep", "--same", "decoded", "-o", library.docket)
    assert (proposed["sets"], proposed["spares"], proposed["undecided"]) == (3, 0, 3)
    rows = {Path(row["path"]).name: row for row in csv.DictReader(library.docket.read_text().splitlines())}
    assert {row["action"] for row in rows.values()} == {"leave"}
    assert rows["march.flac"]["reason"] == "suggested keeper: it is the smallest"
    assert rows["march.wav"]["reason"].startswith("decodes to the same: 44,100 samples")
    decided(library, "fold", "march.wav", "map.tif", "stage.mp4")
    assert library.ask("fold", library.docket, "--yes")["folded"] == 0
    edit_quietly(library.place / "map.png", scanned("PNG", 5))
    folded = library.ask("fold", library.docket, "--yes", "--allow-alike")
    assert {Path(each["path"]).name: each["decoded"] for each in folded["alike"]} == {
        "march.wav": "44,100 samples of sound at 44,100 Hz",
        "stage.mp4": "25 packets of pictures (h264); 48 packets of sound (aac)",
    }
    assert [Path(each["path"]).name for each in folded["left"]] == ["map.tif"]
    run = str(folded["run"])
    assert {file["proof"] for file in library.ask("ledger", run)["runs"][0]["details"]} >= {"decoded"}
    assert library.ask("ledger", "--verify", run)["verified"] == 2
    (left, _) = library.ask("release", run, "--yes")["left"]
    assert "decodes to the same" in left["reason"]
    assert library.ask("unfold", run)["restored"] == 2
    assert (library.place / "march.wav").read_bytes() == recorded("wav", "pcm_s16le")
