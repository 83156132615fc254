"""Essences: what is shown and heard, whatever is written about it; and files rebuilt from them, bit for bit."""

import io
import os
import random
import zlib
from pathlib import Path

import pytest
from blake3 import blake3
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from foldkeep.formats.own import MOST_OF_REST, Piece, Rest, read_rest, written_rest
from foldkeep.model import UnusableInput
from foldkeep.signals.essences import (
    FileSource,
    NoEssence,
    described,
    described_with_content,
    essence_of,
    gaps,
    outline_of,
    rebuilt,
    rest_of,
)
from harness.essences import (
    BY_PILLOW,
    COMMANDS,
    MADE,
    WITH_COVER,
    Held,
    decoded,
    digest,
    made,
    raw,
    run,
    saved,
    tagged,
    worded,
)  # fmt: skip

CORRUPTED = 1000 if "FOLDKEEP_EXPLORE" in os.environ else 60
EDITED = 500 if "FOLDKEEP_EXPLORE" in os.environ else 12
ONE_ESSENCE = [
    *((name, "mutagen") for name in WITH_COVER), *((name, "a cover by mutagen") for name in WITH_COVER),
    *((name, "Pillow") for name in BY_PILLOW),
    *((name, command) for command, (_, names) in COMMANDS.items() for name in names),
]  # fmt: skip


def with_words(name: str, by: str, path: Path) -> bytes:
    if by == "Pillow":
        return worded(name)
    path.write_bytes(made(name))
    if by in COMMANDS:
        if not run(by, path):
            pytest.skip(f"there is no {COMMANDS[by][0]} here")
    else:
        tagged(path, cover=saved("PNG") if "cover" in by else b"")
    return path.read_bytes()


def check_rebuilt(one: bytes, other: bytes) -> None:
    """Check that each is rebuilt from its own rest and the essence of the other."""
    for whole, source in ((one, Held(other)), (other, Held(one))):
        held = Held(whole)
        written = written_rest(rest_of(essence_of(held), held, blake3(whole).digest()))
        rest = read_rest(written)
        assert b"".join(rebuilt(rest, essence_of(source), source)) == whole
        assert rest.digest == blake3(whole).digest()
        assert len(written) < 1500 + essence_of(held).rest


@pytest.mark.parametrize(("name", "by"), ONE_ESSENCE)
def test_words_change_no_essence_and_either_file_is_rebuilt(tmp_path: Path, name: str, by: str):
    before, after = made(name), with_words(name, by, tmp_path / name)
    assert after != before
    assert digest(after) == digest(before)
    assert outline_of(Held(after)) == outline_of(Held(before))
    check_rebuilt(before, after)
    (tmp_path / name).write_bytes(after)
    with (tmp_path / name).open("rb") as file:
        assert essence_of(FileSource(file.fileno(), len(after))) == essence_of(Held(after))


@pytest.mark.parametrize("name", MADE)
def test_another_picture_or_sound_has_another_essence(name: str):
    assert digest(made(name)) != digest(made(name, 5))


@settings(max_examples=EDITED)
@given(
    st.sampled_from([*BY_PILLOW, *WITH_COVER]),
    st.text(min_size=1, max_size=40_000).map(lambda text: text.replace("\0", "")),
    st.integers(0, 5), st.binary(max_size=70_000),
)  # fmt: skip
def test_whatever_is_written_is_no_essence(tmp_path_factory, name: str, title: str, rating: int, cover: bytes):
    title = title.encode("ascii", "ignore").decode() or "kite"
    if name in BY_PILLOW:
        after = worded(name, 3, title[:60_000], rating)
    else:
        path = tmp_path_factory.mktemp("edited") / name
        path.write_bytes(made(name))
        tagged(path, title, rating, cover)
        after = path.read_bytes()
    assert digest(after) == digest(made(name))
    check_rebuilt(made(name), after)


@pytest.mark.parametrize("name", MADE)
def test_a_damaged_file_has_none_another_or_shows_the_same(name: str):
    content, chance = made(name), random.Random(name)
    seen, known = decoded(name, content), digest(content)
    outside = list(gaps(essence_of(Held(content))))
    for number in range(CORRUPTED):
        damaged = damage(content, outside, chance)
        try:
            if digest(damaged) != known:
                continue
        except NoEssence:
            continue
        assert decoded(name, damaged) == seen, number


def damage(content: bytes, outside: list, chance: random.Random) -> bytes:
    """Return a content with one fault, more often where it has no essence or at its beginning."""
    if outside and chance.random() < 0.5:
        start, length = chance.choice(outside)
        at = start + chance.randrange(length)
    else:
        at = chance.randrange(min(700, len(content)) if chance.random() < 0.5 else len(content))
    damaged = bytearray(content)
    match chance.randrange(5):
        case 0 | 1:
            damaged[at] ^= 1 << chance.randrange(8)
        case 2:
            damaged[at] = chance.choice([0, 255, 0x7F])
        case 3:
            damaged[at:at] = chance.randbytes(1 + chance.randrange(8))
        case 4:
            del damaged[at : at + 1 + chance.randrange(8)]
    return bytes(damaged)


def segment(code: int, content: bytes) -> bytes:
    return bytes([0xFF, code]) + (len(content) + 2).to_bytes(2, "big") + content


def behind_start(words: bytes) -> bytes:
    return made("still.jpg")[:2] + words + made("still.jpg")[2:]


def unknown_chunk() -> bytes:
    return bytes(4) + b"kiTe" + zlib.crc32(b"kiTe").to_bytes(4, "big")


NO_ESSENCE = {
    "a clip behind a photo": made("still.jpg") + made("kites.mp4"),
    "a second picture behind a photo": made("still.jpg") + made("progressive.jpg"),
    "an index of further pictures": behind_start(segment(0xE2, b"MPF\0II*\0")),
    "residuals": behind_start(segment(0xEB, b"JP\0\1" + bytes(20))),
    "a maker's thermal picture": behind_start(segment(0xE1, b"FLIR\0\1" + bytes(99))),
    "a depth map in XMP": behind_start(segment(0xE1, b"http://ns.adobe.com/xap/1.0/\0<x GDepth:Data='AAAA'/>")),
    "half a photo": made("still.jpg")[:2000],
    "a chunk that nobody knows": made("still.png")[:33] + unknown_chunk() + made("still.png")[33:],
    "two sounds, one after the other": made("march.ogg") + made("march.opus"),
    "half a sound": made("march.opus")[:-200],
    "a film in fragments": made("kites.mp4") + b"\0\0\0\x08moof",
    "an edited TIFF with something left over": made("still.tif") + b"an old directory",
    "a letter": b"Dear desk, the kites are here. " * 9,
    "nothing": b"",
}  # fmt: skip


@pytest.mark.parametrize("what", NO_ESSENCE)
def test_what_is_not_known_has_no_essence(what: str):
    with pytest.raises(NoEssence):
        essence_of(Held(NO_ESSENCE[what]))


def test_words_that_change_what_is_seen_are_told():
    exif = Image.Exif()
    exif[0x0112] = 6
    exif.get_ifd(0x8769).update({0xA001: 65535, 0xA005: {1: "R03"}})
    stream = io.BytesIO()
    xmp = (b'<x xmlns:crs="http://ns.adobe.com/camera-raw-settings/1.0/" crs:HasCrop="True" crs:CropTop="0.1"'
           b' crs:CropLeft="0.2" crs:Exposure2012="+1.0"/>')  # fmt: skip
    Image.open(io.BytesIO(made("still.jpg"))).save(stream, "JPEG", exif=exif, icc_profile=b"profile", xmp=xmp)
    shown = dict(essence_of(Held(stream.getvalue())).shown)
    told = {"orientation": "6", "colors": "65535 R03", "crop": "CropLeft=0.2 CropTop=0.1"}
    assert shown == {**told, "profile": shown["profile"], "edits": shown["edits"]}
    assert essence_of(Held(made("still.jpg"))).shown == ()


@pytest.mark.parametrize("order", ["<", ">"])
def test_of_a_raw_file_everything_that_may_decode_it_is_essence(order: str):
    one, other = raw(order=order), raw(b"kites over the sea, three of them", order=order, moved=64)
    assert digest(one) == digest(other), "where something lies, and the title, are none"
    check_rebuilt(one, other)
    assert dict(essence_of(Held(one)).shown) == {"orientation": "6"}
    assert digest(raw(note=b"other balance", order=order)) != digest(one)
    assert digest(one.replace(bytes(range(9, 19)), bytes(range(10, 20)))) != digest(one)
    assert digest(one.replace(b"p" * 9, b"q" * 9)) != digest(one)
    with pytest.raises(NoEssence, match="nothing tells of"):
        essence_of(Held(raw(gap=b"what a maker's note may point to", order=order)))


@pytest.mark.parametrize("order", ["<", ">"])
@pytest.mark.parametrize("command", [command for command in COMMANDS if command.startswith(("exiftool", "exiv2"))])
def test_words_that_other_programs_write_into_a_raw_file_are_none_of_it(tmp_path: Path, command: str, order: str):
    path = tmp_path / "kites.tif"
    path.write_bytes(raw(order=order))
    if not run(command, path):
        pytest.skip(f"there is no {COMMANDS[command][0]} here")
    written = path.read_bytes()
    assert written != raw(order=order)
    assert digest(written) == digest(raw(order=order))
    check_rebuilt(raw(order=order), written)


def test_a_flac_file_without_any_words_has_the_essence_of_one_with_some():
    content = made("march.flac")
    at, blocks = 4, []
    while not blocks or not blocks[-1][0] & 0x80:
        length = 4 + int.from_bytes(content[at + 1 : at + 4], "big")
        blocks.append(content[at : at + length])
        at += length
    assert len(blocks) > 1
    bare = content[:4] + bytes([0x80]) + blocks[0][1:] + content[at:]
    assert digest(bare) == digest(content)
    check_rebuilt(content, bare)


@pytest.mark.parametrize("name", MADE)
def test_the_content_is_told_by_the_reading_that_tells_the_essence(tmp_path: Path, name: str):
    whole = made(name)
    path = tmp_path / name
    for content in (whole, whole[: len(whole) // 2], whole + bytes(300_000), b"what nobody knows " * 40_000, b""):
        path.write_bytes(content)
        known, found = described_with_content(bytes(path))
        assert (known, found) == (described(bytes(path)), blake3(content).digest())


stretches = st.lists(st.tuples(st.integers(0, 300), st.integers(0, 400), st.integers(0, 300)), max_size=9)


@given(st.binary(max_size=600), stretches)
def test_a_rest_comes_back_as_it_was_written_or_not_at_all(content: bytes, steps: list[tuple[int, int, int]]):
    pieces = tuple(Piece(rest, offset, length) for rest, offset, length in steps)
    content = content * (sum(piece.rest for piece in pieces) // (len(content) or 1) + 1) or bytes(9000)
    content = content[: sum(piece.rest for piece in pieces)]
    size = len(content) + sum(piece.length for piece in pieces)
    rest = Rest("jpeg", bytes(32), 800, size, b"k" * 32, pieces, content)
    written = written_rest(rest)
    assert read_rest(written) == rest
    for at in range(0, len(written), 1 + len(written) // 9):
        with pytest.raises(UnusableInput):
            read_rest(written[:at] + bytes([written[at] ^ 16]) + written[at + 1 :])
        with pytest.raises(UnusableInput):
            read_rest(written[:at])


def test_a_rest_that_lies_about_its_size_is_refused_at_once():
    rest = written_rest(Rest("jpeg", bytes(32), 0, 100, bytes(32), (Piece(100, 0, 0),), bytes(100)))
    line, _, body = rest[:-32].partition(b"\n")
    lies = [(b'"rest": 100', b'"rest": %d' % (MOST_OF_REST + 1)), (b'"pieces": 1', b'"pieces": 7'),
            (b'"size": 100', b'"size": 99'), (b'"version": 1', b'"version": 2')]  # fmt: skip
    for truth, lie in lies:
        whole = line.replace(truth, lie) + b"\n" + body
        with pytest.raises(UnusableInput):
            read_rest(whole + blake3(whole).digest())
