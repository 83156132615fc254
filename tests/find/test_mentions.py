"""What documents of projects mention: a corpus in every form and encoding, of which the truth is known."""

import gzip
import io
import json
import os
import plistlib
import random
import zipfile
import zlib
from collections.abc import Callable
from pathlib import Path
from urllib.parse import quote

import pytest

from foldkeep.find.references import ProjectFolders, UsesOfAll
from foldkeep.find.references.project_references import Uses
from foldkeep.stock import Stock
from harness.desks import Desk
from harness.documents import clip, database, edl, otio, referring, xml

NAMES = (
    "STG_0001.mp4", "stage left é.mov", "größe 2.mov", "凧 日本.wav", "kite 🪁 sky.mov", "a&b <cut>.mov", "it's 5%.mov",
    "frame.0007.exr", "grain 3.bin", "Ünïcode.MOV", "two  spaces.aif", "[take] (2).mp4", "v#1.png", "tail.tar.gz",
)  # fmt: skip
OTHERS = ("never.mov", "STG_0777.mp4", "stage right é.mov", "frame left.0007.exr", "grain.bin")
Form = Callable[[list[str]], bytes]


def lines(paths: list[str]) -> str:
    return "".join(f"clip: {path}\n" for path in paths)


def numeric(text: str) -> str:
    return "".join(mark if mark.isascii() else f"&#x{ord(mark):X};" for mark in text)


def zipped(*files: tuple[str, bytes]) -> bytes:
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as packed:
        for name, content in files:
            packed.writestr(name, content)
    return stream.getvalue()


FORMS: dict[str, Form] = {
    "text.kite": lambda p: lines(p).encode(),
    "bom.kite": lambda p: b"\xef\xbb\xbf" + lines(p).encode(),
    "little.kite": lambda p: b"\xff\xfe" + lines(p).encode("utf-16-le"),
    "big.kite": lambda p: b"\xfe\xff" + lines(p).encode("utf-16-be"),
    "plain.fcpxml": lambda p: xml(p).encode(),
    "numeric.fcpxml": lambda p: numeric(xml(p)).encode(),
    "utf16.fcpxml": lambda p: xml(p, "UTF-16").encode("utf-16"),
    "latin.fcpxml": lambda p: xml(p, "ISO-8859-1").encode("latin-1", "xmlcharrefreplace"),
    "windows.fcpxml": lambda p: xml(p, "windows-1252").encode("cp1252", "xmlcharrefreplace"),
    "japanese.fcpxml": lambda p: xml(p, "Shift_JIS").encode("shift_jis", "xmlcharrefreplace"),
    "uris.fcpxml": lambda p: xml(["file:///v/" + quote(path) for path in p]).encode(),
    "json.kite": lambda p: json.dumps(p, ensure_ascii=False).encode(),
    "escaped.kite": lambda p: json.dumps(p).encode(),
    "slashed.kite": lambda p: json.dumps(p).replace("/", "\\/").encode(),
    "backslashed.kite": lambda p: json.dumps([path.replace("/", "\\") for path in p]).encode(),
    "gzip.kite": lambda p: gzip.compress(xml(p).encode()),
    "zlib.kite": lambda p: zlib.compress(xml(p).encode()),
    "zip.kite": lambda p: zipped(("project.xml", xml(p).encode()), ("thumb.png", b"\x89PNG\r\n\x1a\n\0\0")),
    "zip in zip.kite": lambda p: zipped(("inner.zip", zipped(("project.json", json.dumps(p).encode())))),
    "gzip in zip.kite": lambda p: zipped(("project.gz", gzip.compress(lines(p).encode()))),
    "names in zip.kite": lambda p: zipped(*((path, b"") for path in p)),
    "sqlite.kite": lambda p: database(list(p)),
    "sqlite16.kite": lambda p: database(list(p), "UTF-16le"),
    "sqlite zlib.kite": lambda p: database([zlib.compress(lines(p).encode())]),
    "sqlite gzip.kite": lambda p: database([gzip.compress(json.dumps(p).encode())]),
    "sqlite blob.kite": lambda p: database([b"\1\0" + path.encode("utf-16-le") + b"\0\0" for path in p]),
    "sqlite odd blob.kite": lambda p: database([b"\7" + path.encode("utf-16-be") for path in p]),
    "sqlite view.kite": lambda p: database([path.rpartition("/")[2] for path in p], view=True),
    "sqlite list.kite": lambda p: database([plistlib.dumps({"clips": p}, fmt=plistlib.FMT_BINARY)]),
    "binary list.kite": lambda p: plistlib.dumps({"clips": [{"url": path} for path in p]}, fmt=plistlib.FMT_BINARY),
    "keys of a list.kite": lambda p: plistlib.dumps(dict.fromkeys(p, 1), fmt=plistlib.FMT_BINARY),
    "packed list.kite": lambda p: gzip.compress(plistlib.dumps({"c": json.dumps(p).encode()}, fmt=plistlib.FMT_BINARY)),
    "references.otio": lambda p: otio(referring(p)),
    "metadata.otio": lambda p: otio([clip(metadata={"kite": {"files": [{"path": path}]}}) for path in p]),
    "keys.otio": lambda p: otio([clip(metadata=dict.fromkeys(p, True))]),
    "missing.otio": lambda p: otio([clip(name=path.rpartition("/")[2], media_reference=None) for path in p]),
    "strange.otio": lambda p: otio([clip(media_reference={"OTIO_SCHEMA": "Reel.7", "where": path}) for path in p]),
    "named.otio": lambda p: otio(
        [clip(name=path.rpartition("/")[2], media_reference={"OTIO_SCHEMA": "MissingReference.1"}) for path in p]
    ),
    "files.edl": edl,
    "clips.edl": lambda p: edl([path.rpartition("/")[2] for path in p], "FROM CLIP NAME"),
    "comments.edl": lambda p: edl(["none.mov"]) + "".join(f"* ORIGINAL MEDIA {path}\n" for path in p).encode(),
    "reels.edl": lambda p: "".join(
        f"001  {path.rpartition('/')[2].rpartition('.')[0]} V C 0 1 0 1\n* FROM CLIP NAME: x.mov\n" for path in p
    ).encode(),
}
STYLES: dict[str, Callable[[str], str]] = {
    "name": lambda name: name,
    "relative": lambda name: f"renders/{name}",
    "above": lambda name: f"../A/renders/{name}",
    "absolute": lambda name: f"/media/kites/A/renders/{name}",
}


def corpus() -> list[tuple[str, str, list[str]]]:
    """Forms, styles and the names that a document mentions, the same each time: 500 of them."""
    choose = random.Random(500)
    found = []
    while len(found) < 500:
        for form in FORMS:
            for style in STYLES:
                known = [
                    name for name in NAMES if (" " not in name and "#" not in name) or not form.startswith("reels")
                ]
                if "view" in form:
                    known = [name for name in known if "tar" not in name]
                found.append((form, style, choose.sample(known, choose.randint(1, 4))))
    return found[:500]


def test_of_500_documents_none_is_missed_and_what_none_mentions_is_free(tmp_path: Path):
    place = os.fsencode(tmp_path) + b"/A/renders/"
    asked = {name: place + name.encode() for name in (*NAMES, *OTHERS)}
    missed, too_much = [], []
    for number, (form, style, names) in enumerate(corpus()):
        document = tmp_path / "A" / str(number) / form
        document.parent.mkdir(parents=True)
        document.write_bytes(FORMS[form]([STYLES[style](name) for name in names]))
        uses = Uses([os.fsencode(document)], asked.values())
        assert uses.problems == [], (form, uses.problems)
        missed += [(form, style, name) for name in names if not uses.mention(asked[name])]
        too_much += [(form, style, name) for name in OTHERS if uses.mention(asked[name])]
    assert missed == []
    assert too_much == []


RUNS = ("kite.####.exr", "kite.%04d.exr", "kite.%d.exr", "kite.$F4.exr", "kite.${F4}.exr", "kite.<UDIM>.exr",
        "kite.[0001-0100].exr", "kite.{0001..0100}.exr", "kite.@@@@.exr", "kite.*.exr", "kite.????.exr",
        "kite.%(frame)04d.exr", "kite.{frame:04}.exr", "kite.0001.exr", "kite.0000.exr, 100 frames")  # fmt: skip


@pytest.mark.parametrize("said", RUNS)
@pytest.mark.parametrize("form", ["text.kite", "metadata.otio", "sqlite.kite", "escaped.kite"])
def test_one_picture_or_a_placeholder_stands_for_a_whole_run(tmp_path: Path, said: str, form: str):
    document = tmp_path / form
    document.write_bytes(FORMS[form]([said]))
    run = [os.fsencode(tmp_path / f"renders/kite.{number:04}.exr") for number in (1, 2, 77)]
    other = os.fsencode(tmp_path / "renders/tail.0002.exr")
    uses = Uses([os.fsencode(document)], [*run, other])
    assert [uses.mention(path) for path in (*run, other)] == [True, True, True, False]


def sequence(**values: object) -> list[dict]:
    reference = {"OTIO_SCHEMA": "ImageSequenceReference.1", "target_url_base": "renders", "name_prefix": "kite.",
                 "name_suffix": ".exr", "frame_zero_padding": 4, "frame_step": 1, "rate": 25, **values}  # fmt: skip
    return [clip(media_references={"main": reference})]


LENGTH = {"OTIO_SCHEMA": "TimeRange.1", "start_time": {"OTIO_SCHEMA": "RationalTime.1", "rate": 25, "value": 0},
          "duration": {"OTIO_SCHEMA": "RationalTime.1", "rate": 25, "value": 9}}  # fmt: skip


@pytest.mark.parametrize(("values", "numbers"), [
    ({"start_frame": 1, "available_range": LENGTH}, ["0001", "0009"]), ({"start_frame": 1}, ["0001", "0500"]),
    ({"start_frame": -3, "available_range": LENGTH}, ["-0003", "-003", "0000", "0005"]),
    ({"start_frame": 1, "available_range": LENGTH, "frame_zero_padding": 20_000}, ["0001"]),
    ({"start_frame": 10**400, "available_range": LENGTH}, []),
])  # fmt: skip
def test_image_sequences_without_a_range_and_with_odd_numbers(tmp_path: Path, values: dict, numbers: list[str]):
    document = tmp_path / "cut.otio"
    document.write_bytes(otio(sequence(**values)))
    paths = [os.fsencode(tmp_path / f"renders/kite.{number}.exr") for number in numbers]
    uses = Uses([os.fsencode(document)], paths)
    assert [uses.mention(path) for path in paths] == [True] * len(paths)


@pytest.mark.parametrize(("reel", "name", "is_used"), [
    ("STG_0001", "STG_0001_take 3.mov", True), ("A001C003", "A001_C003_0614AB.mov", True), ("TAPE7", "tape7.mov", True),
    ("STG_0001", "STG_0002.mov", False), ("TAPE7", "TAPE7 two.mov", False),
])  # fmt: skip
def test_reels_are_names_though_the_list_may_have_cut_them(tmp_path: Path, reel: str, name: str, is_used: bool):
    document = tmp_path / "cut.edl"
    document.write_text(f"001  {reel} V C 0 1 0 1\n* FROM CLIP NAME: the one with the sea.mov\n")
    path = os.fsencode(tmp_path / name)
    assert Uses([os.fsencode(document)], [path]).mention(path) is is_used


@pytest.mark.parametrize("beside", ["-journal", "-wal"])
def test_a_database_that_its_program_is_writing_may_use_anything(tmp_path: Path, beside: str):
    document = tmp_path / "project.kite"
    document.write_bytes(database(["a.mov"]))
    (tmp_path / f"project.kite{beside}").write_bytes(b"hot")
    path = os.fsencode(tmp_path / "b.mov")
    uses = Uses([os.fsencode(document)], [path])
    assert (uses.mention(path), len(uses.problems)) == (True, 1)


def test_links_are_other_names_of_what_they_lead_to(desk: Desk):
    desk.write("A/renders/one.mov", b"one")
    desk.write("A/renders/two.mov", b"two")
    desk.write("A/renders/three.mov", b"three")
    free = desk.write("A/renders/free.mov", b"free")
    os.symlink("renders", desk.place / "A/current")
    os.symlink("renders/two.mov", desk.place / "A/opening.mov")
    os.link(desk.place / "A/renders/three.mov", desk.place / "A/closing.mov")
    desk.write("A/cut.otio", otio(referring(["current/one.mov", "opening.mov"])))
    desk.write("A/notes.fcpxml", b"<clip>closing.mov</clip>")
    desk.ask("scan", desk.place)
    paths = [os.fsencode(desk.place / f"A/renders/{name}.mov") for name in ("one", "two", "three")]
    with Stock.open(str(desk.stock)) as stock:
        uses = UsesOfAll(stock, ProjectFolders(stock), [*paths, os.fsencode(free)])
        assert [uses.mention(path) for path in paths] == [True, True, True]
        assert not uses.mention(os.fsencode(free))
