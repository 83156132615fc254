"""What files decode to: the same for all codings and containers of one thing, another for all that differs in it."""

import io
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from foldkeep.signals.decoded import Finding, Form, decoded, form_of, may_agree
from harness.containers import deep, filmed, recorded, remuxed, scanned
from harness.essences import made, played, worded


def as_grey(form: str, mode: str) -> bytes:
    stream = io.BytesIO()
    Image.open(io.BytesIO(scanned("PNG"))).convert("L").convert(mode).save(stream, form)
    return stream.getvalue()


def see_through(alpha: int, form: str = "PNG") -> bytes:
    stream = io.BytesIO()
    picture = Image.open(io.BytesIO(scanned("PNG")))
    picture.putalpha(alpha)
    picture.save(stream, form)
    return stream.getvalue()


def photo(**named: Any) -> bytes:
    return scanned("JPEG", quality=90, **named)


def late(by: int, kind: str = "video", first: int = 1) -> bytes:
    """A film in Matroska of which packets of a kind are shown or heard later than they were, all or one of them."""

    def change(packet: Any, number: int) -> None:
        if packet.stream.type == kind and number >= first:
            packet.pts = packet.pts + by * round(1 / packet.time_base) // 1000

    return remuxed(filmed(), "matroska", change)


def turned() -> bytes:
    stream = io.BytesIO()
    with io.BytesIO(filmed()) as content:
        import av

        with av.open(content) as source, av.open(stream, "w", format="mp4") as clip:
            tracks = {track.index: clip.add_stream_from_template(track) for track in source.streams}
            tracks[0].set_display_rotation(90)
            for packet in source.demux():
                if packet.size:
                    packet.stream = tracks[packet.stream_index]
                    clip.mux(packet)
    return stream.getvalue()


SAME: dict[str, dict[str, Callable[[], bytes]]] = {
    "recording": {
        "wave": lambda: recorded("wav", "pcm_s16le"), "flac": lambda: recorded("flac", "flac"),
        "aiff": lambda: recorded("aiff", "pcm_s16be"), "alac": lambda: recorded("ipod", "alac"),
        "more bits": lambda: recorded("wav", "pcm_s24le"), "matroska": lambda: recorded("matroska", "flac"),
    },
    "scan": {
        "png": lambda: scanned("PNG"), "packed less": lambda: scanned("PNG", compress_level=1),
        "tiff": lambda: scanned("TIFF"), "lzw": lambda: scanned("TIFF", compression="tiff_lzw"),
        "webp": lambda: scanned("WEBP", lossless=True, exact=True), "opaque": lambda: see_through(255),
    },
    "grey": {"png": lambda: as_grey("PNG", "L"), "tiff": lambda: as_grey("TIFF", "RGB")},
    "deep": {"png": lambda: deep("png", "rgb48be"), "tiff": lambda: deep("tiff", "rgb48le")},
    "photo": {
        "plain": photo, "progressive": lambda: photo(progressive=True), "own tables": lambda: photo(optimize=True)
    },
    "film": {
        "mp4": filmed, **{form: lambda form=form: remuxed(filmed(), form) for form in ("mov", "matroska", "mpegts")},
        "from a stream": lambda: remuxed(remuxed(filmed(), "mpegts"), "mp4"),
    },
    "newer film": {
        "mp4": lambda: filmed("mp4", "libx265"),
        **{form: lambda form=form: remuxed(filmed("mp4", "libx265"), form) for form in ("matroska", "mpegts")},
    },
    "song": {
        "ogg": lambda: made("march.ogg"), "matroska": lambda: played("matroska", "vorbis", rate=44_100),
    },
    **{
        f"song of {name}": {
            "before": lambda name=name: made(name),
            **{form: lambda name=name, form=form: remuxed(made(name), form) for form in forms},
        }
        for name, forms in {
            "march.opus": ("matroska", "mp4"), "march.mp3": ("matroska", "mp4", "mpegts"),
            "march.m4a": ("matroska", "adts", "mpegts"),
        }.items()
    },
}  # fmt: skip
OTHER: dict[str, dict[str, Callable[[], bytes]]] = {
    "recording": {
        "a sample": lambda: recorded("flac", "flac", 1), "lossy": lambda: recorded("mp3", "libmp3lame"),
        "another rate": lambda: recorded("flac", "flac", rate=48_000),
        "fewer bits": lambda: recorded("wav", "pcm_u8"), "floating": lambda: recorded("wav", "pcm_f32le"),
    },
    "scan": {
        "a pixel": lambda: scanned("TIFF", 1), "see-through": lambda: see_through(254),
        "lossy": lambda: scanned("WEBP"), "grey": lambda: as_grey("PNG", "L"),
    },
    "deep": {"a bit": lambda: deep("tiff", "rgb48le", 1), "eight bits": lambda: scanned("PNG")},
    "photo": {"a pixel": lambda: photo(change=90), "again": lambda: scanned("JPEG", quality=89)},
    "film": {
        "other pictures": lambda: filmed(shift=3), "a frame late": lambda: late(40, first=10),
        "sound late": lambda: late(5, "audio"), "turned": turned,
        "a packet less": lambda: remuxed(filmed(), "matroska", lambda _, number: number != 20),
    },
}  # fmt: skip
NONE: dict[str, Callable[[], bytes]] = {
    "nothing": lambda: b"", "text": lambda: b"Dear desk, the kites are up." * 20,
    "a photo with a clip behind it": lambda: photo() + filmed(), "a photo cut short": lambda: photo()[:-700],
    "two pages": lambda: scanned("TIFF", save_all=True, append_images=[Image.new("RGB", (160, 120))]),
    "moving": lambda: scanned("PNG", save_all=True, append_images=[Image.new("RGB", (160, 120))]),
    "lossy and web": lambda: scanned("WEBP", quality=80), "a heading alone": lambda: filmed()[:300],
}  # fmt: skip


def found(tmp_path: Path, name: str, content: bytes) -> tuple[dict[str, Any], bytes]:
    path = bytes(tmp_path / name)
    Path(path.decode()).write_bytes(content)
    return decoded(path), form_of(path)


@pytest.mark.parametrize("what", SAME)
def test_all_codings_of_one_thing_are_found_and_nothing_that_differs(tmp_path, what):
    same = {name: found(tmp_path, name, make()) for name, make in SAME[what].items()}
    assert not [(name, known["none"]) for name, (known, _) in same.items() if "none" in known]
    findings = {name: Finding.from_known(known) for name, (known, _) in same.items()}
    first = next(iter(findings.values()))
    assert {name: first.agrees(each) for name, each in findings.items()} == dict.fromkeys(findings, True)
    forms = [(number, name, Form.read(form)) for number, (name, (_, form)) in enumerate(same.items())]
    assert may_agree(forms) == set(range(len(forms)))
    for name, make in OTHER.get(what, {}).items():
        known, _ = found(tmp_path, name, make())
        assert "none" in known or not first.agrees(Finding.from_known(known)), name


@pytest.mark.parametrize("what", NONE)
def test_what_is_more_than_one_picture_or_none_decodes_to_nothing(tmp_path, what):
    known, _ = found(tmp_path, "file", NONE[what]())
    assert "none" in known, known


def test_words_that_change_what_is_seen_are_told(tmp_path):
    turned_by_words = Image.Exif()
    turned_by_words[0x0112] = 6
    plain, _ = found(tmp_path, "plain", photo())
    worded_, _ = found(tmp_path, "worded", photo(exif=turned_by_words, icc_profile=b"a profile", progressive=True))
    assert plain["digest"] == worded_["digest"]
    assert (plain["more"], worded_["more"].keys()) == ({}, {"orientation", "profile"})
    assert found(tmp_path, "rated", worded("still.png"))[0] == found(tmp_path, "still", made("still.png"))[0]


LENGTHS = st.sampled_from([0.0, 0.1, 0.15, 0.3, 0.35, 1.0, 1.002, 1.004, 5.0])
FILES = st.lists(
    st.tuples(st.sampled_from("ab"), st.sampled_from("xy"), LENGTHS, st.sampled_from("12345")), max_size=12
)


@given(FILES, st.booleans())
def test_what_may_agree_is_what_comparing_all_with_all_finds(files, coded):
    forms = [(number, each[3], Form(each[0], each[1] * coded, each[2])) for number, each in enumerate(files)]
    apart = 0.2 if coded else 0.003
    expected = {
        number
        for number, content, form in forms
        for _, other, its in forms
        if form.key == its.key and abs(form.seconds - its.seconds) <= apart
        and (form.coding != its.coding if coded else content != other)
    }  # fmt: skip
    assert may_agree(forms) == expected
