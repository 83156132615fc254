"""What is named and not there is refused with the nearest that is; what an edit uses stays."""

import csv
import os

import pytest

from foldkeep.find.references import ProjectFolders, TimelineUses, timeline_uses
from foldkeep.stock import Stock
from harness.desks import Desk
from messes import Mess
from messes.mess import make, proposed

LIBRARY = Mess(
    "for words",
    """
    Masters/2024 kites/K_{1-3}.jpg = k{1-3}
    Desktop/K_2.jpg = k2
    edit/media/DRN_1.mp4 = d1
    video/drone/DRN_1.mp4 = d1
    edit/highlights.otio = otio: media/DRN_1.mp4
    """,
    "",
    "",
)

COMMANDS = (
    ("duplicates",),
    ("duplicates", "--folders"),
    ("keep", "-o", "DOCKET"),
    ("list",),
    ("space",),
    ("caches",),
    ("sheet", "-o", "SHEET"),
)


@pytest.mark.parametrize("command", COMMANDS, ids=" ".join)
@pytest.mark.parametrize(
    ("words", "told"),
    [
        (("--kind", "foto"), "no file is of kind foto; did you mean photo?"),
        (("--place", "plaice"), "no place is called plaice; did you mean place?"),
        (("--under", "PLACE/Master"), "no file is known in PLACE/Master; did you mean PLACE/Masters?"),
        (("--not-under", "PLACE/2024 kite"), "did you mean PLACE/Masters/2024 kites?"),
    ],
)
def test_a_filter_that_names_nothing_is_refused(desk: Desk, command, words, told):
    make(LIBRARY, desk)
    line = [*command, *words]
    for word, path in (("DOCKET", desk.docket), ("SHEET", desk.top / "sheet.html"), ("PLACE", desk.place)):
        line = [each.replace(word, str(path)) for each in line]
    answer = desk.run(*line)
    assert answer.status == 2
    assert told.replace("PLACE", str(desk.place)) in answer.err
    assert answer.err.count("\n") == 1
    assert not desk.docket.exists()


@pytest.mark.parametrize("words", [("--prefer", "under:PLACE/Master"), ("--give-up-under", "PLACE/Desktob")])
def test_a_rule_about_a_folder_that_is_not_known_is_refused(desk: Desk, words):
    make(LIBRARY, desk)
    answer = desk.run("keep", "-o", desk.docket, *(word.replace("PLACE", str(desk.place)) for word in words))
    assert (answer.status, answer.err.count("\n")) == (2, 1)
    assert "did you mean" in answer.err


def test_what_an_edit_uses_stays_and_that_is_told(desk: Desk):
    make(LIBRARY, desk)
    answer = desk.run("keep", "-o", desk.docket)
    assert "1 set of which an edit uses a copy of its own, so that both stay" in answer.out
    with desk.docket.open(newline="") as stream:
        rows = {
            os.path.relpath(row["path"], desk.place): (row["action"], row["reason"]) for row in csv.DictReader(stream)
        }
    assert rows["edit/media/DRN_1.mp4"] == ("leave", "used by edit/highlights.otio")
    assert rows["video/drone/DRN_1.mp4"] == ("keep", "stays beside the copy that a document uses")
    desk.docket.unlink()
    freely = proposed(Mess("", "", "", "", "--ignore-projects"), desk)
    assert len([path for path in freely if "DRN" in path]) == 1
    desk.docket.unlink()
    linked = proposed(Mess("", "", "", "", "--for-links"), desk)
    assert len([path for path in linked if "DRN" in path]) == 1


def test_a_document_that_cannot_be_read_may_use_all_of_its_project(desk: Desk):
    make(LIBRARY, desk)
    (desk.place / "edit/highlights.otio").write_text("{ broken")
    desk.run("scan")
    answer = desk.run("keep", "-o", desk.docket)
    assert answer.status == 1
    assert "highlights.otio: cannot be read, so it may use anything" in answer.err
    rows = desk.docket.read_text()
    assert "edit/media/DRN_1.mp4" in rows
    assert "used by edit/highlights.otio" in rows


def test_what_is_written_about_a_raw_file_counts_for_its_picture(desk: Desk):
    picture = Mess(
        "a raw file with its sidecar, and the JPEG with an older date elsewhere",
        """
        east/K.cr3 = raw
        east/K.jpg = jpg @2024-05-09
        east/K.cr3.xmp = xmp: 5
        west/K.cr3 = raw
        west/K.jpg = jpg @2024-05-01
        """,
        "",
        "",
    )
    make(picture, desk)
    assert {os.path.relpath(path, desk.place) for path in proposed(picture, desk)} == {"west/K.cr3", "west/K.jpg"}


def test_looking_only_at_what_a_document_may_mean_misses_nothing(desk: Desk, monkeypatch):
    library = Mess(
        "documents of every kind",
        """
        one/media/DRN_{1-3}.mp4 = d{1-3}
        one/cut.otio = otio: media/DRN_1.mp4 ../two/DRN_2.mp4 gone/DRN_3.mp4
        two/DRN_{1-3}.mp4 = d{1-3}
        two/notes.prproj = uses one/media/DRN_3.mp4, DRN_1.mp4
        three/A001C003.mov = a
        four/A001C003.mov = a
        """,
        "",
        "",
    )
    make(library, desk)
    (desk.place / "three/cut.edl").write_text(
        "TITLE: cut\n\n001  A001C003 V     C        00:00:00:00 00:00:01:00 01:00:00:00 01:00:01:00\n"
        "* FROM CLIP NAME: DRN_2.mp4\n"
    )
    desk.run("scan")
    with Stock.open(str(desk.stock)) as stock:
        paths = list(stock.listing.paths())
        quick = TimelineUses(stock, ProjectFolders(stock), paths)
        monkeypatch.setattr(timeline_uses._Known, "perhaps", lambda known, _: known._paths)
        plain = TimelineUses(stock, ProjectFolders(stock), paths)
    assert (quick.there, dict(quick.by_name)) == (plain.there, dict(plain.by_name))
    used = {os.path.relpath(os.fsdecode(path), desk.place) for path in quick.there}
    assert used >= {"one/media/DRN_1.mp4", "two/DRN_2.mp4", "one/media/DRN_3.mp4", "three/A001C003.mov"}


@pytest.mark.parametrize("role", ["backup", "archive"])
def test_no_docket_takes_from_a_backup_or_an_archive_unasked(desk: Desk, role):
    make(Mess("twice on a shelf", f"{role}:a/K.jpg = k\n{role}:b/K.jpg = k", "", ""), desk)
    for line in (["keep"], ["list", "--kind", "photo"]):
        desk.docket.unlink(missing_ok=True)
        assert desk.run(*line, "-o", desk.docket).status == 0
        rows = list(csv.DictReader(desk.docket.read_text().splitlines()))
        assert {row["action"] for row in rows} == {"leave"}
        assert rows[0]["reason"].endswith(f"{role}, which is left alone; --role {role} asks for it")
        desk.docket.unlink()
        desk.run(*line, "-o", desk.docket, "--role", role)
        assert "fold" in {row["action"] for row in csv.DictReader(desk.docket.read_text().splitlines())}


def test_a_comparison_refuses_what_neither_side_knows(desk: Desk):
    make(LIBRARY, desk)
    saved = desk.top / "all.inventory"
    desk.ask("inventory", "save", saved)
    sides = ("compare", saved, desk.place)
    for words, told in ((("--kind", "foto"), "did you mean photo?"), (("--place", "sofa"), "no place is called sofa"),
                        (("--under", desk.place / "Master"), "name a folder of one of the two sides")):  # fmt: skip
        answer = desk.run(*sides, *words)
        assert (answer.status, told in answer.err, answer.err.count("\n")) == (2, True, 1)
    for words in (("--kind", "photo"), ("--place", "place"), ("--under", desk.place / "Masters"), ()):
        assert desk.run(*sides, *words).status == 0
