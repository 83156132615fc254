"""Media of many formats: what they say of themselves, and the small pictures that are made of them."""

import io
import json
import os
import sqlite3
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from foldkeep.demo import sounds
from foldkeep.model import Facts
from foldkeep.model.kinds import kind_of
from foldkeep.signals import Apart, MediaReader, Medium
from foldkeep.signals.extractors import MEDIA_FACTS
from foldkeep.signals.media import read_facts
from foldkeep.signals.pictures import HEIGHT, WIDTH, picture_of
from foldkeep.stock import Stock
from harness.desks import Desk


def encoded(image: Image.Image, kind: str, **named: object) -> bytes:
    stream = io.BytesIO()
    image.save(stream, kind, **named)
    return stream.getvalue()


def on_disk(folder: Path, name: str, body: bytes) -> bytes:
    path = folder / name
    path.write_bytes(body)
    return os.fsencode(path)


def opened(jpeg: bytes | None) -> Image.Image:
    assert jpeg is not None
    return Image.open(io.BytesIO(jpeg)).convert("RGB")


@pytest.mark.parametrize(("suffix", "kind", "mode"), [
    ("jpg", "JPEG", "RGB"), ("jpeg", "JPEG", "CMYK"), ("jpe", "JPEG", "L"), ("png", "PNG", "RGBA"),
    ("png", "PNG", "P"),
    ("png", "PNG", "I;16"), ("png", "PNG", "1"), ("tif", "TIFF", "RGB"), ("tiff", "TIFF", "F"),
    ("webp", "WEBP", "RGBA"),
    ("gif", "GIF", "P"), ("bmp", "BMP", "RGB"), ("jp2", "JPEG2000", "RGB"),
])  # fmt: skip
def test_photos_of_many_formats(tmp_path: Path, suffix: str, kind: str, mode: str):
    image = Image.radial_gradient("L").resize((400, 200)).convert(mode if mode != "I;16" else "I").convert(mode)
    path = on_disk(tmp_path, f"kite.{suffix}", encoded(image, kind))
    facts = read_facts(path, "photo")
    assert (facts.format, facts.width, facts.height, facts.problem) == (kind, 400, 200, None)
    picture = opened(picture_of(path, "photo"))
    assert picture.size == (WIDTH, WIDTH // 2)
    if mode not in ("1", "P"):
        dark, bright = picture.getpixel((WIDTH // 2, WIDTH // 4)), picture.getpixel((2, 2))
        assert abs(sum(dark) - sum(bright)) > 200, "a gradient shows as one"


@pytest.mark.parametrize("orientation", range(1, 9))
def test_pictures_stand_upright(tmp_path: Path, orientation: int):
    """The corner that is to be at the upper left is red, whatever way the camera was held."""
    corner = {1: (0, 0), 2: (1, 0), 3: (1, 1), 4: (0, 1), 5: (0, 0), 6: (0, 1), 7: (1, 1), 8: (1, 0)}[orientation]
    image = Image.new("RGB", (400, 200), "blue")
    image.paste("red", (300 * corner[0], 150 * corner[1], 300 * corner[0] + 100, 150 * corner[1] + 50))
    exif = image.getexif()
    exif[0x0112] = orientation
    path = on_disk(tmp_path, "kite.jpg", encoded(image, "JPEG", exif=exif))
    assert read_facts(path, "photo").orientation == orientation
    picture = opened(picture_of(path, "photo"))
    assert (picture.width > picture.height) == (orientation < 5)
    red, _, blue = picture.getpixel((8, 8))
    assert red > 150 > blue


@pytest.mark.parametrize(("tags", "expected"), [
    ({0x0110: "Meadow 2"}, {"camera": "Meadow 2"}),
    ({0x010F: "Windmere", 0x0110: "WINDMERE Ridge"}, {"camera": "WINDMERE Ridge"}),
    ({0x010F: "Windmere\0\0"}, {"camera": "Windmere"}),
    ({0x010E: " two\nlines "}, {"description": "two lines"}),
    ({0x4746: 3}, {"rating": 3.0}),
    ({0x0112: 77}, {}),
    ({0x010E: "k" * 5000}, {"description": "k" * 1000}),
])  # fmt: skip
def test_exif_is_read_with_care(tmp_path: Path, tags: dict, expected: dict):
    image = Image.new("RGB", (8, 8))
    exif = image.getexif()
    exif.update(tags)
    path = on_disk(tmp_path, "kite.jpg", encoded(image, "JPEG", exif=exif))
    known = read_facts(path, "photo").known()
    assert known == {"format": "JPEG", "width": 8, "height": 8, **expected}


@pytest.mark.parametrize(("taken", "offset", "captured"), [
    ("2025:06:13 10:41:07", None, "2025-06-13T10:41:07"), ("2025:06:13 10:41:07", "east", "2025-06-13T10:41:07"),
    ("2025:06:13 10:41:07", "-03:30", "2025-06-13T10:41:07-03:30"), ("0000:00:00 00:00:00", "+01:00", None),
    ("soon", None, None),
])  # fmt: skip
def test_capture_dates(tmp_path: Path, taken: str, offset: str | None, captured: str | None):
    image = Image.new("RGB", (8, 8))
    exif = image.getexif()
    exif.get_ifd(0x8769).update({0x9003: taken, **({0x9011: offset} if offset else {})})
    assert read_facts(on_disk(tmp_path, "kite.jpg", encoded(image, "JPEG", exif=exif)), "photo").captured == captured


@pytest.mark.parametrize(("suffix", "name"), [("flac", "FLAC"), ("mp3", "MP3"), ("wav", "WAVE")])
def test_sounds_and_their_waves(tmp_path: Path, suffix: str, name: str):
    loud = (np.sin(np.arange(2 * sounds.RATE) / 9) * 20_000).astype("<i2")
    loud[: sounds.RATE] //= 20
    tags = {"title": "March\nof the Kites", "artist": "Windmere Brass", "track": "3/9", "date": "2025-06-14"}
    body = sounds.wav(loud) if suffix == "wav" else sounds.encoded(loud, suffix, tags)
    path = on_disk(tmp_path, f"march.{suffix}", body)
    facts = read_facts(path, "audio")
    assert (facts.format, facts.sample_rate, facts.channels, facts.problem) == (name, sounds.RATE, 1, None)
    assert facts.seconds == pytest.approx(2.0, abs=0.1)
    if suffix != "wav":
        assert (facts.title, facts.artist, facts.track) == ("March of the Kites", "Windmere Brass", "3/9")
    wave = np.asarray(opened(picture_of(path, "audio"))).sum(axis=2) < 500
    assert wave[:, : WIDTH // 2 - 8].sum() * 4 < wave[:, WIDTH // 2 + 8 :].sum(), "the loud half is tall"


def film(seconds: int, rate: int = 4, sound: bool = False) -> bytes:
    """Return a film that goes from red over green to blue."""
    stream = io.BytesIO()
    with av.open(stream, "w", format="mp4") as file:
        file.metadata["creation_time"] = "2025-06-14T08:00:00Z"
        track = file.add_stream("mpeg4", rate=rate)
        track.width, track.height, track.pix_fmt = 160, 90, "yuv420p"
        music = file.add_stream("aac", rate=44_100, layout="stereo") if sound else None
        for number in range(seconds * rate):
            color = [0, 0, 0]
            color[number * 3 // (seconds * rate)] = 255
            frame = av.VideoFrame.from_ndarray(np.full((90, 160, 3), color, np.uint8), format="rgb24")
            frame.pts, frame.time_base = number, Fraction(1, rate)
            file.mux(track.encode(frame))
        file.mux(track.encode(None))
        if music:
            quiet = av.AudioFrame.from_ndarray(np.zeros((2, 44_100), np.float32), format="fltp", layout="stereo")
            quiet.sample_rate = 44_100
            file.mux(music.encode(quiet))
            file.mux(music.encode(None))
    return stream.getvalue()


def test_films_show_three_of_their_frames(tmp_path: Path):
    path = on_disk(tmp_path, "kites.mp4", film(9, sound=True))
    facts = read_facts(path, "video")
    assert (facts.format, facts.width, facts.height, facts.frame_rate) == ("MP4", 160, 90, 4)
    assert (facts.video_codec, facts.audio_codec, facts.channels) == ("mpeg4", "aac", 2)
    assert (facts.captured, round(facts.seconds)) == ("2025-06-14T08:00:00Z", 9)
    picture = opened(picture_of(path, "video"))
    assert picture.width <= WIDTH
    assert picture.height <= HEIGHT
    middle, first, last = (
        picture.getpixel((picture.width * x // 4, picture.height * y // 6)) for x, y in ((2, 2), (1, 5), (3, 5))
    )
    assert [color.index(max(color)) for color in (first, middle, last)] == [0, 1, 2]
    cut = on_disk(tmp_path, "cut.mp4", film(9)[:2000])
    assert read_facts(cut, "video").problem
    assert picture_of(cut, "video") is None


def test_pictures_of_what_is_too_large_or_half_there(tmp_path: Path):
    huge = on_disk(tmp_path, "huge.png", encoded(Image.new("1", (20_000, 20_000)), "PNG"))
    assert picture_of(huge, "photo") is None
    noise = encoded(Image.effect_noise((600, 400), 90), "JPEG")
    half = opened(picture_of(on_disk(tmp_path, "half.jpg", noise[: len(noise) // 2]), "photo"))
    assert len(np.unique(np.asarray(half)[:40])) > 50, "the upper half is there"
    for name in ("none.jpg", "none.mp4", "none.wav"):
        assert picture_of(on_disk(tmp_path, name, b"no medium"), kind_of(name.encode())) is None
    assert picture_of(on_disk(tmp_path, "notes.pdf", b"%PDF"), "document") is None


@given(st.builds(
    Facts, format=st.none() | st.text(max_size=9), width=st.none() | st.integers(0, 10**6),
    seconds=st.none() | st.floats(0, 1e6),
    keywords=st.lists(st.text(max_size=9), max_size=3).map(tuple), rating=st.none() | st.floats(-1, 5),
))  # fmt: skip
def test_facts_come_through_json(facts: Facts):
    assert Facts.from_known(json.loads(json.dumps(facts.known()))) == facts


def media(desk: Desk, name: str) -> Medium:
    path = desk.place / name
    facts = path.stat()
    return Medium(os.fsencode(path), "photo", facts.st_size, facts.st_mtime_ns, b"d" * 32)


def test_what_was_read_is_kept_unless_the_file_could_not_be_read_or_changed(desk: Desk):
    desk.write("kite.jpg", encoded(Image.new("RGB", (30, 20)), "JPEG"))
    desk.write("torn.jpg", encoded(Image.effect_noise((300, 200), 90), "JPEG")[:2000])
    desk.run("scan", desk.place)
    with Stock.open(str(desk.stock)) as stock:
        kite, torn = media(desk, "kite.jpg"), media(desk, "torn.jpg")._replace(digest=b"t" * 32)
        with stock.hold("test"), MediaReader(stock) as reader:
            assert reader.facts(kite).width == 30
        assert stock.signals.of(b"d" * 32, "media facts", MEDIA_FACTS.version) is None, (
            "another Fold Keep held the stock"
        )
        with MediaReader(stock) as reader:
            assert "damaged" in reader.facts(torn).problem
            assert reader.facts(kite._replace(modified_ns=5, digest=b"c" * 32)).problem == "it changed since the scan"
            assert reader.facts(kite).width == 30
            assert reader.facts(kite._replace(kind="document")) == Facts()
            gone = kite._replace(path=kite.path + b".gone", digest=b"g" * 32)
            assert "no such file" in reader.facts(gone).problem
        assert stock.signals.of(b"d" * 32, "media facts", MEDIA_FACTS.version).values["width"] == 30
        assert stock.signals.of(b"d" * 32, "media facts", MEDIA_FACTS.version + 1) is None, "a later version asks again"
        assert "damaged" in stock.signals.of(b"t" * 32, "media facts", MEDIA_FACTS.version).problem
        assert [stock.signals.of(each * 32, "media facts", MEDIA_FACTS.version) for each in (b"c", b"g")] == [
            None,
            None,
        ]
    Path(f"{desk.stock}.pictures").write_bytes(b"not a database" * 100)
    with Stock.open(str(desk.stock)) as stock, MediaReader(stock) as reader:
        ((facts, jpeg),) = reader.views([kite])
        assert (facts.width, opened(jpeg).size) == (30, (30, 20))


def test_half_a_picture_is_shown_and_told_of_whatever_was_looked_at_before(desk: Desk):
    files = []
    for number in range(6):
        desk.write(f"{number}.jpg", encoded(Image.effect_noise((300, 200 + number), 90), "JPEG")[:9000])
        files.append(media(desk, f"{number}.jpg")._replace(digest=number.to_bytes(32, "big")))
    desk.run("scan", desk.place)
    with Stock.open(str(desk.stock)) as stock, MediaReader(stock) as reader:
        for facts, jpeg in reader.views(files):
            assert facts.problem.startswith("the picture is damaged: image file is truncated")
            assert opened(jpeg).width == 288


def test_pictures_come_in_order_from_several_helpers(desk: Desk):
    sizes = [(20 + number, 10) for number in range(90)]
    files = []
    for number, size in enumerate(sizes):
        desk.write(f"{number}.png", encoded(Image.new("RGB", size), "PNG"))
        files.append(media(desk, f"{number}.png")._replace(digest=number.to_bytes(32, "big")))
    desk.run("scan", desk.place)
    for _ in range(2):
        with Stock.open(str(desk.stock)) as stock, MediaReader(stock) as reader:
            views = list(reader.views(files))
        assert [(facts.width, facts.height) for facts, _ in views] == sizes
        assert [opened(jpeg).size for _, jpeg in views] == sizes
    kept = sqlite3.connect(f"{desk.stock}.pictures")
    assert kept.execute("SELECT count(*) FROM pictures").fetchone() == (90,)
    kept.close()


@pytest.mark.usefixtures("own_helpers")
def test_the_helper_takes_no_module_from_the_folder_and_says_nothing(tmp_path: Path, monkeypatch):
    (tmp_path / "PIL.py").write_text("raise SystemExit('taken from the wrong place')")
    path = on_disk(tmp_path, "kite.png", encoded(Image.new("RGB", (30, 20)), "PNG"))
    monkeypatch.chdir(tmp_path)
    with Apart() as apart:
        assert apart.facts(path, "photo").width == 30
        number = apart._helper.pid
    with pytest.raises(ProcessLookupError):
        os.kill(number, 0)


def test_a_stock_of_before_learns_blocks_without_reading(desk: Desk):
    for name in ("one.jpg", "two.jpg"):
        desk.write(name, b"k" * 9000)
    desk.run("scan", desk.place)
    old = sqlite3.connect(desk.stock)
    old.executescript(
        "DROP INDEX files_by_outline; ALTER TABLE files DROP COLUMN outline; ALTER TABLE files DROP COLUMN form;"
        " ALTER TABLE files DROP COLUMN blocks; ALTER TABLE run_files DROP COLUMN words;"
        " DROP INDEX run_files_linking; ALTER TABLE run_files DROP COLUMN source;"
        " ALTER TABLE run_files DROP COLUMN target_volume; ALTER TABLE run_files DROP COLUMN target_modified_ns;"
        " ALTER TABLE run_files DROP COLUMN mode; ALTER TABLE run_files DROP COLUMN grade;"
        " ALTER TABLE run_files DROP COLUMN recipe; ALTER TABLE run_files DROP COLUMN made; DROP TABLE measures;"
        " DROP TABLE signals; DROP TABLE catalogs; DROP TABLE archived_files; DROP TABLE archives;"
        " DROP TABLE former_paths; ALTER TABLE places DROP COLUMN below; ALTER TABLE places DROP COLUMN mark;"
        " ALTER TABLE volumes DROP COLUMN capabilities; DROP TABLE checks;"
        " ALTER TABLE files DROP COLUMN read_changed_ns; DROP INDEX files_by_stated;"
        " ALTER TABLE files DROP COLUMN etag; ALTER TABLE files DROP COLUMN stated;"
        " DROP TABLE quotas; DROP TABLE separate_places; DROP TABLE checkups; DROP TABLE checkup_spares;"
        " DROP TABLE machine; DROP TABLE machine_keys; DROP TABLE numbers;"
        " ALTER TABLE volumes DROP COLUMN disks; ALTER TABLE places DROP COLUMN disk; DROP TABLE run_clocks;"
        " DROP INDEX run_files_waiting_content;"
        " PRAGMA user_version = 2; UPDATE folders SET seen = x'00';"
    )
    old.close()
    assert desk.ask("space")["total"]["disk_bytes"] == 18_000
    assert desk.ask("scan")["read_bytes"] == 0
    blocks = sum((desk.place / name).stat().st_blocks * 512 for name in ("one.jpg", "two.jpg"))
    assert desk.ask("space")["total"]["disk_bytes"] == blocks
    assert len(desk.ask("duplicates")["sets"]) == 1
