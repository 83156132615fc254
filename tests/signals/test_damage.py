"""Damage: what is whole is never called damaged, and what was cut off, zeroed or overwritten is found."""

import errno
import io
import os
import resource
import tempfile
from collections.abc import Callable
from pathlib import Path

import av
import numpy as np
import PIL.Image
import pytest
from PIL import Image

from foldkeep.demo import sounds
from foldkeep.model.kinds import kind_of
from foldkeep.signals import media
from foldkeep.signals.damage import damage_in
from foldkeep.signals.heif import opens_heif
from harness.desks import DISK, Desk

opens_heif()
BLOCK = 4096
NOISE = Image.effect_noise((700, 500), 90).convert("RGB")
LOUD = np.random.default_rng(7).normal(0, 6000, 20 * sounds.RATE).astype("<i2")


def picture(form: str, image: Image.Image = NOISE, **named: object) -> bytes:
    stream = io.BytesIO()
    image.save(stream, form, **named)
    return stream.getvalue()


def container(form: str, codec: str) -> bytes:
    stream = io.BytesIO()
    with av.open(stream, "w", format=form) as file:
        track = file.add_stream(codec, rate=48_000, layout="mono")
        for start in range(0, LOUD.size, 960):
            part = LOUD[start : start + 960].astype(np.float32)[None, :] / 32_768
            frame = av.AudioFrame.from_ndarray(part, format="fltp", layout="mono")
            frame.sample_rate, frame.pts = 48_000, start
            file.mux(track.encode(frame))
        file.mux(track.encode(None))
    return stream.getvalue()


def with_padding(flac: bytes) -> bytes:
    """Return a FLAC with room for words behind its first block: another one, of type 1 (RFC 9639, 8.3)."""
    first = 4 + 4 + 34
    return flac[:first] + bytes([1]) + (9 * BLOCK).to_bytes(3, "big") + bytes(9 * BLOCK) + flac[first:]


def with_room(mp3: bytes) -> bytes:
    """Return an MP3 with an ID3v2.4 tag of nothing but room before it."""
    size = 9 * BLOCK
    return b"ID3\x04\0\0" + bytes(size >> shift & 127 for shift in (21, 14, 7, 0)) + bytes(size) + mp3


FLAC, MP3 = sounds.encoded(LOUD, "flac", {"title": "march"}), sounds.encoded(LOUD, "mp3", {})
MADE: dict[str, Callable[[], bytes]] = {
    "noise.jpg": lambda: picture("JPEG"), "progressive.jpg": lambda: picture("JPEG", progressive=True),
    "noise.png": lambda: picture("PNG"), "noise.webp": lambda: picture("WEBP"), "noise.gif": lambda: picture("GIF"),
    "noise.heic": lambda: picture("HEIF"), "noise.tif": lambda: picture("TIFF", compression="tiff_lzw"),
    "noise.nef": lambda: picture("TIFF"),
    "march.flac": lambda: FLAC, "march.mp3": lambda: MP3, "march.wav": lambda: sounds.wav(LOUD),
    "march.opus": lambda: container("ogg", "libopus"), "march.m4a": lambda: container("mp4", "aac"),
    "march.mka": lambda: container("matroska", "libopus"), "march.aiff": lambda: container("aiff", "pcm_s16be"),
    "kites.mp4": lambda: sounds.film(3, 6.0), "kites.mov": lambda: sounds.film(4, 6.0),
}  # fmt: skip
HAS_ZEROS: dict[str, Callable[[], bytes]] = {
    "black.jpg": lambda: picture("JPEG", Image.new("RGB", (3000, 2000)), optimize=True),
    "green.jpg": lambda: picture("JPEG", Image.new("RGB", (3000, 2000), (9, 200, 30)), optimize=True),
    "black.png": lambda: picture("PNG", Image.new("RGB", (3000, 2000))),
    "filled up.jpg": lambda: picture("JPEG") + bytes(5 * BLOCK),
    "silent end.wav": lambda: sounds.wav(np.concatenate([LOUD[:9000], np.zeros(200_000, "<i2")])),
    "silence.flac": lambda: sounds.encoded(np.zeros(30 * sounds.RATE, "<i2"), "flac", {}),
    "room.mp3": lambda: with_room(MP3), "room.flac": lambda: with_padding(FLAC),
    "unknown.cr3": lambda: b"\0\0\0\x18ftypcrx " + bytes(99) + b"nobody here reads this",
    "other.dat": lambda: b"x" + bytes(9 * BLOCK),
}  # fmt: skip


def found(folder: Path, name: str, content: bytes) -> str:
    path = folder / name
    path.write_bytes(content)
    return damage_in(os.fsencode(path), kind_of(os.fsencode(name)))


@pytest.mark.parametrize("name", [*MADE, *HAS_ZEROS])
def test_what_is_whole_is_not_called_damaged(tmp_path: Path, name: str):
    assert found(tmp_path, name, (MADE | HAS_ZEROS)[name]()) == ""


@pytest.mark.parametrize("name", ["kites.mp4", "march.flac", "march.opus"])
def test_where_no_thread_may_be_started_nothing_is_called_damaged(name: str):
    """As an ordinary user who has as many processes as may be: decoders ask for threads."""
    with tempfile.TemporaryDirectory(dir=DISK) as folder:
        os.chmod(folder, 0o711)  # noqa: S103 - the other user comes by here
        path = Path(folder) / name
        path.write_bytes(MADE[name]())
        told, tells = os.pipe()
        if (child := os.fork()) == 0:
            resource.setrlimit(resource.RLIMIT_NPROC, (1, 1))
            if os.getuid() == 0:
                os.setuid(65534)
            try:
                answer = damage_in(os.fsencode(path), kind_of(os.fsencode(name)))
            except BaseException as error:  # this process must not go on as if it were the test
                answer = f"{type(error).__name__} {error.errno if isinstance(error, OSError) else error}"
            os.write(tells, answer.encode())
            os._exit(0)
        os.close(tells)
        os.waitpid(child, 0)
        with os.fdopen(told) as answers:
            assert answers.read() in ("", f"BlockingIOError {errno.EAGAIN}")


@pytest.mark.parametrize("name", MADE)
def test_damage_of_each_kind_is_found(tmp_path: Path, name: str):
    whole = MADE[name]()
    half, most = len(whole) // 2 // BLOCK * BLOCK, len(whole) * 7 // 10 // BLOCK * BLOCK
    assert found(tmp_path, name, bytes(len(whole))) == "it holds nothing but zeros"
    assert "" not in {found(tmp_path, name, whole[:at]) for at in (len(whole) // 2, len(whole) * 9 // 10)}
    if not name.endswith(("wav", "aiff", "nef")):  # zeros may be silence or black there
        assert found(tmp_path, name, whole[:most] + bytes(len(whole) - most))
    if name.endswith(("jpg", "png", "gif", "mp3", "flac", "opus", "webp")):
        lost = found(tmp_path, name, whole[:half] + bytes(BLOCK) + whole[half + BLOCK :])
        assert lost == f"parts of it are zeros: {BLOCK:,} of {len(whole):,} bytes"


def test_what_only_a_missing_library_reads_is_not_called_damaged(tmp_path: Path, monkeypatch):
    monkeypatch.setattr(media, "opens_heif", lambda: False)
    monkeypatch.setattr(PIL.Image, "OPEN", {name: known for name, known in PIL.Image.OPEN.items() if name != "HEIF"})
    assert found(tmp_path, "noise.heic", MADE["noise.heic"]()) == ""


def test_damaged_files_are_listed_with_what_is_wrong(desk: Desk):
    whole = picture("JPEG")
    desk.write("card/cut.jpg", whole[: len(whole) // 3])
    desk.write("card/copy of it.jpg", whole[: len(whole) // 3])
    desk.write("card/whole.jpg", whole)
    desk.write("card/zeros.pdf", bytes(3 * BLOCK))
    desk.write("card/named.png", whole)  # the same content as another, which no false name may speak for
    desk.write("card/a named.mp3", whole)
    desk.write("card/empty.mov", b"")
    desk.write("card/notes.bin", bytes(BLOCK))
    scanned = desk.ask("scan", desk.place, "--check-media")
    assert (scanned["damaged"], scanned["problems"]) == (6, [])
    listed = {Path(each["path"]).name: each["damage"] for each in desk.ask("list", "--damaged")["files"]}
    assert "image file is truncated" in listed["cut.jpg"]
    assert listed == {
        "cut.jpg": listed["cut.jpg"], "copy of it.jpg": listed["cut.jpg"], "zeros.pdf": "it holds nothing but zeros",
        "empty.mov": "it is empty", "named.png": "its first bytes are those of JPEG",
        "a named.mp3": "its first bytes are those of JPEG",
    }  # fmt: skip
    assert [Path(each["path"]).name for each in desk.ask("list", "--damaged", "--kind", "document")["files"]] == [
        "zeros.pdf"
    ]
    # What was asked is not asked again, and another content under a name is another answer.
    desk.write("card/cut.jpg", whole)
    assert desk.ask("scan", "--check-media")["damaged"] == 5
    desk.ask("list", "--damaged", "-o", desk.docket)
    rows = desk.docket.read_text()
    assert rows.count(",fold,") == 5
    assert "it holds nothing but zeros" in rows


def test_what_show_found_wrong_is_listed_too(desk: Desk):
    whole = picture("JPEG")
    for name in ("a.jpg", "b.jpg"):
        desk.write(name, whole[: len(whole) // 2])
    desk.ask("scan", desk.place)
    assert desk.ask("list", "--damaged")["totals"]["files"] == 0
    assert "scan --check-media looks for damage" in desk.run("list", "--damaged").out
    desk.ask("show", desk.place / "a.jpg")
    assert [Path(each["path"]).name for each in desk.ask("list", "--damaged")["files"]] == ["a.jpg", "b.jpg"]


def test_a_false_name_says_nothing_of_the_content(desk: Desk):
    for name in ("a.mov", "z.jpg"):
        desk.write(name, picture("JPEG"))
    desk.ask("scan", desk.place)
    (shown,) = desk.ask("show", desk.place / "a.mov")["shown"]
    assert shown["facts"] == {"format": "JPEG", "width": 700, "height": 500}
    assert [Path(each["path"]).name for each in desk.ask("list", "--damaged")["files"]] == ["a.mov"]
