"""Files that go for others with their essence: what was written in them stays, and they come back bit for bit."""

import os
import shutil
import sys
from pathlib import Path

import pytest
from blake3 import blake3
from PIL import Image

from harness.desks import Desk, contents, edit, left
from harness.essences import made, saved, tagged, worded


def facts(top: Path) -> dict[Path, tuple]:
    """Every file below a folder, outside the fold, with content, mode, time and attributes."""
    return {
        path: (path.read_bytes(), path.stat().st_mode, path.stat().st_mtime_ns, attributes(path))
        for path in top.rglob("*")
        if path.is_file() and ".foldkeep" not in path.parts
    }


def attributes(path: Path) -> dict[str, bytes]:
    return {name: os.getxattr(path, name) for name in os.listxattr(path)}


def slots(desk: Desk, pattern: str = "rest-*") -> list[Path]:
    return sorted(desk.place.glob(f".foldkeep/*/files/{pattern}"))


@pytest.fixture
def folded(desk: Desk) -> Desk:
    """A photo and a song, each with an older copy in which less is written; those were proposed."""
    desk.write("kite.jpg", worded("still.jpg"))
    old = desk.write("old/kite.jpg", made("still.jpg"))
    old.chmod(0o640)
    os.setxattr(old, "user.desk", b"red")
    tagged(desk.write("march.mp3", made("march.mp3")), "March of the Kites", cover=saved("PNG"))
    desk.write("songs/march.mp3", made("march.mp3"))
    desk.ask("scan", desk.place)
    desk.ask("keep", "--same", "essence", "-o", desk.docket)
    return desk


def test_what_was_released_comes_back_bit_for_bit(folded: Desk):
    before = facts(folded.place)
    done = folded.ask("fold", folded.docket, "--yes")
    assert (done["folded"], done["left"], len(done["essences"])) == (2, [], 2)
    details = folded.ask("ledger", "1")["runs"][0]["details"]
    assert {each["proof"] for each in details} == {"essence"}
    released = folded.ask("release", "1", "--yes")
    assert (released["released"], released["rests"], released["left"]) == (2, 2, [])
    assert released["bytes"] == len(made("still.jpg")) + len(made("march.mp3")) - released["rest_bytes"]
    assert not slots(folded, "0*")
    assert folded.ask("ledger")["runs"][0]["files"]["rest"] == 2
    assert folded.run("ledger", "--verify").status == 0
    assert folded.ask("unfold", "1")["restored"] == 2
    assert facts(folded.place) == before
    assert not (folded.place / ".foldkeep").exists()
    assert len(folded.ask("duplicates", "--same", "essence")["sets"]) == 2, "the stock knows what came back"


def test_the_rest_lies_beside_the_file_from_the_fold_on(folded: Desk):
    before = facts(folded.place)
    folded.ask("fold", folded.docket, "--yes")
    rests = slots(folded)
    assert [rest.name.removeprefix("rest-") for rest in rests] == [slot.name for slot in slots(folded, "0*")]
    assert folded.ask("unfold", "1")["restored"] == 2
    assert facts(folded.place) == before
    assert not (folded.place / ".foldkeep").exists()
    folded.ask("fold", folded.docket, "--yes")
    slots(folded, "rest-*.jpg")[0].write_bytes(b"not what it was")
    slots(folded, "rest-*.mp3")[0].unlink()
    assert folded.ask("release", "2", "--yes")["rests"] == 2, "they are proved, and written, once more"
    assert folded.ask("unfold", "2")["restored"] == 2
    assert facts(folded.place) == before


def test_what_was_proved_at_the_fold_is_kept_where_it_cannot_be_proved_again(folded: Desk):
    folded.ask("fold", folded.docket, "--yes")
    keeper = folded.place / "kite.jpg"
    aside = keeper.rename(folded.top / "aside.jpg")
    assert "unfold it to keep it" in dict(left(folded.ask("release", "1", "--yes")))["kite.jpg"]
    assert folded.ask("release", "1", "--yes", "--allow-last-copy")["released"] == 1
    aside.rename(keeper)
    assert folded.ask("unfold", "1")["restored"] == 2
    assert (folded.place / "old" / "kite.jpg").read_bytes() == made("still.jpg")


@pytest.mark.parametrize("what", ["moved", "written into again", "a drive alone", "away for a while"])
def test_a_file_is_rebuilt_from_whatever_has_its_essence(folded: Desk, what: str):
    before = contents(folded.place)
    folded.ask("fold", folded.docket, "--yes")
    folded.ask("release", "1", "--yes")
    keeper = folded.place / "kite.jpg"
    if what == "moved":
        (folded.place / "elsewhere").mkdir()
        for name in ("kite.jpg", "march.mp3"):
            (folded.place / name).rename(folded.place / "elsewhere" / name)
        folded.ask("scan", folded.place)
    elif what == "written into again":
        before -= contents(folded.place)
        keeper.write_bytes(worded("still.jpg", rating=1, title="Rain"))
        tagged(folded.place / "march.mp3", "Encore")
    elif what == "a drive alone":
        shutil.rmtree(folded.stock.parent)
        assert folded.run("unfold", "--from", folded.place).status == 0
        assert contents(folded.place) >= before
        return
    else:
        aside = keeper.rename(folded.top / "aside.jpg")
        (why,) = left(folded.ask("unfold", "1"))
        assert "nothing that can be read now has its picture or sound" in why[1]
        aside.rename(keeper)
    assert folded.run("unfold", "1").status == 0
    assert contents(folded.place) >= before
    assert not slots(folded)


def test_nothing_is_released_that_cannot_be_rebuilt(folded: Desk):
    folded.ask("fold", folded.docket, "--yes")
    keeper, song = folded.place / "kite.jpg", folded.place / "march.mp3"
    kept = keeper.read_bytes()
    keeper.write_bytes(worded("still.jpg", 5))
    song.unlink()
    said = left(folded.ask("release", "1", "--yes"))
    assert [why.partition(":")[0] for _, why in said] == [
        "its keeper is another file now",
        "its keeper is gone or cannot be read",
    ]
    assert len(slots(folded, "0*")) == 2
    keeper.write_bytes(kept)
    slot = slots(folded, "0*.jpg")[0]
    content, state = slot.read_bytes(), slot.stat()
    slot.write_bytes(content[:-1] + b"?")
    os.utime(slot, ns=(state.st_atime_ns, state.st_mtime_ns))
    assert "its content is not what was folded" in dict(left(folded.ask("release", "1", "--yes")))["kite.jpg"]
    slot.write_bytes(content)
    os.utime(slot, ns=(state.st_atime_ns, state.st_mtime_ns))
    assert folded.ask("release", "1", "--yes")["rests"] == 1


def test_rests_are_given_up_only_by_a_word_or_for_a_copy(folded: Desk):
    folded.ask("fold", folded.docket, "--yes")
    folded.ask("release", "1", "--yes")
    assert [why for _, why in left(folded.ask("release", "1", "--rests", "--yes"))] == [
        "what is written in it is nowhere else: say --allow-last-copy to give it up"
    ] * 2
    folded.write("again/kite.jpg", made("still.jpg"))
    folded.ask("scan", folded.place, "--read-all")
    assert folded.ask("release", "1", "--rests", "--yes")["released"] == 1
    assert folded.ask("release", "1", "--rests", "--yes", "--allow-last-copy")["released"] == 1
    assert not (folded.place / ".foldkeep").exists()
    assert folded.ask("ledger")["runs"][0]["files"]["released"] == 2
    assert folded.ask("unfold", "1")["restored"] == 0


def test_what_others_are_rebuilt_from_goes_by_no_word_but_theirs(folded: Desk):
    folded.ask("fold", folded.docket, "--yes")
    folded.ask("release", "1", "--yes")
    folded.docket.unlink()
    folded.ask("list", "--name", "kite.jpg", "-o", folded.docket)
    edit(folded.docket, lambda row: {**row, "action": "fold"})
    folded.ask("fold", folded.docket, "--yes", "--allow-last-copy")
    ((_, why),) = left(folded.ask("release", "2", "--yes", "--allow-last-copy"))
    assert why.startswith("1 released file is rebuilt from it")
    folded.ask("release", "1", "--rests", "--yes", "--allow-last-copy")
    assert folded.ask("release", "2", "--yes", "--allow-last-copy")["released"] == 1


def test_a_damaged_rest_is_told_and_rebuilds_nothing(folded: Desk):
    folded.ask("fold", folded.docket, "--yes")
    folded.ask("release", "1", "--yes")
    rest = slots(folded, "rest-*.jpg")[0]
    whole = rest.read_bytes()
    rest.write_bytes(whole[:-9])
    (problem,) = folded.ask("ledger", "--verify")["problems"]
    assert "its rest is damaged" in problem["reason"]
    assert [why for _, why in left(folded.ask("unfold", "1"))] == [
        "its rest is damaged; take it from a copy of the drive"
    ]
    rest.write_bytes(whole)
    assert folded.ask("unfold", "1")["restored"] == 1


def test_a_docket_proves_nothing_and_no_method_loses_words(folded: Desk):
    other = folded.write("other.jpg", made("still.jpg", 5))
    folded.ask("scan", folded.place, "--read-all")
    for method in ("hard-link", "symlink", "delete", "bin"):
        more = ["--for-good"] if method == "delete" else []
        refused = folded.run("fold", folded.docket, "--yes", "--method", method, *more)
        assert (refused.status, "other words are written" in refused.err) == (2, True), method
    # The docket says that the keeper is another picture: it may say so, and nothing goes.
    stat, digest = other.stat(), "blake3:" + blake3(other.read_bytes()).hexdigest()
    edit(folded.docket, lambda row: {
        **row, "uri": other.as_uri(), "path": str(other), "size": str(stat.st_size), "digest": digest, "modified": "",
    } if row["action"] == "keep" and row["kind"] == "photo" else row)  # fmt: skip
    before = contents(folded.place)
    folded.run("fold", folded.docket, "--yes")
    assert (folded.place / "old/kite.jpg").exists()
    assert contents(folded.place) >= before


def test_without_the_libraries_for_media_files_stay_and_that_is_said(folded: Desk, monkeypatch):
    folded.ask("fold", folded.docket, "--yes")
    with monkeypatch.context() as lacking:
        lacking.setitem(sys.modules, "numpy", None)
        said = dict(left(folded.ask("release", "1", "--yes")))
        assert "pip install 'fold-keep[media]'" in said["kite.jpg"]
    folded.ask("release", "1", "--yes")
    with monkeypatch.context() as lacking:
        lacking.setitem(sys.modules, "numpy", None)
        assert "fold-keep[media]" in dict(left(folded.ask("unfold", "1")))["kite.jpg"]
    folded.ask("unfold", "1")
    assert (folded.place / "old/kite.jpg").read_bytes() == made("still.jpg")


def test_what_only_a_spare_says_is_written_beside_the_keeper(desk: Desk):
    desk.write("mine/kite.jpg", worded("still.jpg", title="Over the sea", rating=4))
    desk.write("copy/kite.jpg", worded("still.jpg", title="Over the hill", rating=4))
    desk.write("copy/kite.xmp", b"<x:xmpmeta xmlns:x='adobe:ns:meta/'><rdf:RDF xmlns:rdf='http://www.w3.org/1999/02/22-rdf-syntax-ns#'>"
               b"<rdf:Description rdf:about='' xmlns:xmp='http://ns.adobe.com/xap/1.0/' xmp:Label='Red'"
               b" xmlns:dc='http://purl.org/dc/elements/1.1/'><dc:subject><rdf:Bag><rdf:li>delta</rdf:li></rdf:Bag>"
               b"</dc:subject></rdf:Description></rdf:RDF></x:xmpmeta>")  # fmt: skip
    desk.ask("scan", desk.place)
    desk.ask("keep", "--same", "essence", "--prefer", f"under:{desk.place}/mine", "-o", desk.docket)
    before = facts(desk.place)
    done = desk.ask("fold", desk.docket, "--yes")
    (merged,) = done["merged"]
    assert [Path(each["to"]["path"]).name for each in done["beside"]] == ["kite.xmp"]
    assert [(each["what"], each["kept"], each["other"]) for each in merged["differences"]] == [
        ("description", "Over the sea", "Over the hill")
    ]
    desk.ask("unfold", "1")
    assert facts(desk.place) == before


def test_what_looks_otherwise_stays(desk: Desk):
    exif = Image.Exif()
    exif[0x0112] = 6
    desk.write("kite.jpg", made("still.jpg"))
    desk.write("turned.jpg", saved("JPEG", quality=85, exif=exif))
    desk.write("turned copy.jpg", saved("JPEG", quality=85, exif=exif, comment="for the press"))
    desk.ask("scan", desk.place)
    desk.ask("keep", "--same", "essence", "-o", desk.docket)
    desk.ask("fold", desk.docket, "--yes")
    assert sorted(path.name for path in desk.place.glob("*.jpg")) == ["kite.jpg", "turned.jpg"]
