"""Files of many formats, and what programs write into them without touching what they show."""

import base64
import io
import shutil
import struct
import subprocess
import warnings
from collections.abc import Callable
from fractions import Fraction
from functools import cache
from pathlib import Path
from typing import Any

import av
import mutagen
import numpy as np
import pillow_heif
from mutagen.flac import Picture
from mutagen.id3 import APIC, POPM, TIT2
from mutagen.mp4 import MP4Cover
from PIL import Image, PngImagePlugin

from foldkeep.demo.pictures import draw_kites, jpeg
from foldkeep.demo.sounds import encoded, tune, wav
from foldkeep.signals.essences import NoEssence, digest_of_essence, essence_of

pillow_heif.register_heif_opener(thumbnails=False)


class Held:
    """Bytes to be read as a file."""

    def __init__(self, content: bytes) -> None:
        self.content, self.size = content, len(content)

    def read(self, offset: int, length: int) -> bytes:
        if offset < 0 or length < 0 or offset + length > self.size:
            raise NoEssence("it ends too early")
        return self.content[offset : offset + length]

    def view(self, offset: int, length: int) -> memoryview:
        return memoryview(self.read(offset, length))


def digest(content: bytes) -> bytes:
    source = Held(content)
    return digest_of_essence(essence_of(source), source)


@cache
def picture(seed: int = 3) -> Image.Image:
    return draw_kites(seed, (160, 120)).convert("RGB")


def saved(form: str, seed: int = 3, **named: Any) -> bytes:
    stream = io.BytesIO()
    picture(seed).save(stream, form, **named)
    return stream.getvalue()


def played(form: str, codec: str, seed: int = 3, rate: int = 48_000, film: bool = False) -> bytes:
    """A second of sound, and pictures if it is a film, as PyAV writes it."""
    stream = io.BytesIO()
    with av.open(stream, "w", format=form, options={"fflags": "+bitexact"}) as clip:
        shown = clip.add_stream("mpeg4", rate=25) if film else None
        layout = "stereo" if codec == "vorbis" else "mono"
        heard = clip.add_stream(codec, rate=rate, layout=layout, options={"strict": "experimental"})
        if shown:
            shown.width, shown.height, shown.pix_fmt = 96, 64, "yuv420p"
            for number in range(12):
                frame = av.VideoFrame.from_image(picture(seed).rotate(number).resize((96, 64)))
                frame.pts, frame.time_base = number, Fraction(1, 25)
                clip.mux(shown.encode(frame))
            clip.mux(shown.encode(None))
        wave = (np.sin(np.arange(rate // 2) / (3 + seed)) * 0.5).astype(np.float32)
        sound = av.AudioFrame.from_ndarray(np.stack([wave] * (1 + (layout == "stereo"))), "fltp", layout)
        sound.sample_rate, sound.pts = rate, 0
        to_size = av.AudioResampler(
            heard.codec_context.format, layout, rate, frame_size=heard.codec_context.frame_size or 1024
        )
        for frame in (*to_size.resample(sound), *to_size.resample(None)):
            clip.mux(heard.encode(frame))
        clip.mux(heard.encode(None))
    return stream.getvalue()


MADE: dict[str, Callable[[int], bytes]] = {
    "still.jpg": lambda seed: saved("JPEG", seed, quality=85),
    "progressive.jpg": lambda seed: saved("JPEG", seed, quality=85, progressive=True),
    "camera.jpg": lambda seed: jpeg(seed, "Ridge", "2025:06:14 09:00:00"),
    "still.png": lambda seed: saved("PNG", seed), "still.tif": lambda seed: saved("TIFF", seed),
    "packed.tif": lambda seed: saved("TIFF", seed, compression="tiff_lzw"),
    "still.webp": lambda seed: saved("WEBP", seed, quality=80),
    "whole.webp": lambda seed: saved("WEBP", seed, lossless=True), "still.heic": lambda seed: saved("HEIF", seed),
    "still.avif": lambda seed: saved("AVIF", seed),
    "march.wav": lambda seed: wav(tune([0, 4, seed])), "march.flac": lambda seed: encoded(tune([0, seed]), "flac", {}),
    "march.mp3": lambda seed: encoded(tune([0, 4, seed]), "mp3", {}),
    "march.ogg": lambda seed: played("ogg", "vorbis", seed, 44_100),
    "march.opus": lambda seed: played("ogg", "libopus", seed), "march.oga": lambda seed: played("ogg", "flac", seed),
    "march.m4a": lambda seed: played("ipod", "aac", seed), "march.aiff": lambda seed: played("aiff", "pcm_s16be", seed),
    "march.caf": lambda seed: played("caf", "pcm_s16le", seed),
    "march.webm": lambda seed: played("webm", "libopus", seed),
    "kites.mp4": lambda seed: played("mp4", "aac", seed, film=True),
    "kites.mov": lambda seed: played("mov", "pcm_s16le", seed, film=True),
    "kites.mkv": lambda seed: played("matroska", "aac", seed, film=True),
}  # fmt: skip


@cache
def made(name: str, seed: int = 3) -> bytes:
    return MADE[name](seed)


def tagged(path: Path, title: str = "March of the Kites", rating: int = 200, cover: bytes = b"") -> None:
    """Write a title, a rating and perhaps a cover into a sound or film."""
    file = mutagen.File(path)
    if file.tags is None:
        file.add_tags()
    what = type(file).__name__
    if what in ("MP3", "WAVE", "AIFF"):
        file.tags.add(TIT2(3, [title]))
        file.tags.add(POPM(email="desk", rating=rating))
        if cover:
            file.tags.add(APIC(3, "image/png", 3, "cover", cover))
    elif what == "MP4":
        file["\xa9nam"], file["\xa9cmt"] = [title], [str(rating)]
        if cover:
            file["covr"] = [MP4Cover(cover, MP4Cover.FORMAT_PNG)]
    else:
        file["title"], file["rating"] = [title], [str(rating)]
        if cover:
            front = Picture()
            front.data, front.mime, front.type = cover, "image/png", 3
            if what == "FLAC":
                file.add_picture(front)
            else:
                file["metadata_block_picture"] = [base64.b64encode(front.write()).decode()]
    file.save()


def worded(name: str, seed: int = 3, title: str = "Over the sea", rating: int = 4) -> bytes:
    """A picture as `made` makes it, saved with words in it."""
    exif = Image.Exif()
    exif[0x010E], exif[0x4746] = title, rating
    if name.endswith(".png"):
        words = PngImagePlugin.PngInfo()
        words.add_itxt("Title", title)
        return saved("PNG", seed, pnginfo=words, exif=exif)
    if name.endswith(".webp"):
        how = {"lossless": True} if name == "whole.webp" else {"quality": 80}
        return saved("WEBP", seed, exif=exif, xmp=title.encode(), **how)
    if name.endswith((".heic", ".avif")):
        return saved("HEIF" if name.endswith(".heic") else "AVIF", seed, exif=exif, xmp=title.encode())
    if name.endswith(".tif"):
        how = {"compression": "tiff_lzw"} if name == "packed.tif" else {}
        return saved("TIFF", seed, tiffinfo={270: title}, **how)
    return saved("JPEG", seed, quality=85, progressive=name == "progressive.jpg", exif=exif, comment=title)


def raw(
    title: bytes = b"kites", note: bytes = b"white balance", order: str = "<", moved: int = 0, gap: bytes = b""
) -> bytes:
    """A raw file built like a TIFF: a preview, a main picture in a directory of its own, Exif with a maker's note."""
    data = {"preview": b"p" * 300, "main": bytes(range(256)) * 8, "note": note, "title": title + bytes(1)}
    at, offsets = 8 + moved, {}
    for name, content in data.items():
        offsets[name] = at
        at += len(content) + len(content) % 2
    first = at + len(gap) + len(gap) % 2
    rows = {
        "first": [(254, 4, 1, 1), (256, 4, 1, 60), (257, 4, 1, 5), (270, 2, len(data["title"]), offsets["title"]),
                  (273, 4, 1, offsets["preview"]), (274, 3, 1, 6), (279, 4, 1, 300), (330, 4, 1, first + 200),
                  (34665, 4, 1, first + 400)],
        "main": [(254, 4, 1, 0), (256, 4, 1, 64), (257, 4, 1, 32), (259, 4, 1, 34713), (273, 4, 1, offsets["main"]),
                 (279, 4, 1, 2048), (50712, 3, 1, 7)],
        "exif": [(36864, 7, 4, 0x30333230), (37500, 7, len(note), offsets["note"])],
    }  # fmt: skip
    head = (b"II*\0" if order == "<" else b"MM\0*") + struct.pack(f"{order}I", first) + bytes(moved)
    body = b"".join(content + bytes(len(content) % 2) for content in data.values())
    directories = b""
    for fields in rows.values():
        packed = struct.pack(f"{order}H", len(fields))
        for tag, kind, count, value in fields:
            short = kind == 3
            packed += struct.pack(f"{order}HHI", tag, kind, count)
            packed += struct.pack(f"{order}HH", value, 0) if short else struct.pack(f"{order}I", value)
        directories += (packed + bytes(4)).ljust(200, b"\0")
    return head + body + gap + bytes(len(gap) % 2) + directories


WITH_COVER = ("march.wav", "march.flac", "march.mp3", "march.ogg", "march.opus", "march.oga", "march.m4a", "march.aiff",
              "kites.mp4")  # fmt: skip
BY_PILLOW = ("still.jpg", "progressive.jpg", "still.png", "still.tif", "packed.tif", "still.webp", "whole.webp",
             "still.heic", "still.avif")  # fmt: skip

_EXIF = ("still.jpg", "progressive.jpg", "camera.jpg", "still.png", "still.tif", "packed.tif", "still.webp",
         "still.heic", "still.avif")  # fmt: skip
COMMANDS: dict[str, tuple[tuple[str, ...], tuple[str, ...]]] = {
    "exiftool -q -overwrite_original -XMP:Rating=4 -XMP:Subject=kite": ("exiftool", (*_EXIF, "march.m4a", "kites.mp4")),
    "exiftool -q -overwrite_original -Artist=Desk -GPSLatitude=51 -GPSLatitudeRef=N": ("exiftool", _EXIF),
    "exiv2|-M|set Xmp.xmp.Rating 3|-M|set Iptc.Application2.Keywords kite": ("exiv2", _EXIF[:-2]),
    "vorbiscomment -w -t TITLE=March": ("vorbiscomment", ("march.ogg",)),
    "metaflac --set-tag=TITLE=March --add-replay-gain": ("metaflac", ("march.flac",)),
    "id3v2 -t March -a Band": ("id3v2", ("march.mp3",)),
    "AtomicParsley {} --title March --overWrite": ("AtomicParsley", ("march.m4a", "kites.mp4")),
    "mkvpropedit {} --edit info --set title=March": ("mkvpropedit", ("kites.mkv", "march.webm")),
}  # fmt: skip


def run(command: str, path: Path) -> bool:
    """Have an editor of the system write into a file; tell whether it is there."""
    words = command.split("|") if "|" in command else command.split()
    if shutil.which(words[0]) is None:
        return False
    words = [str(path) if word == "{}" else word for word in words]
    subprocess.run([*words, *([] if str(path) in words else [str(path)])], check=True, capture_output=True)
    return True


def decoded(name: str, content: bytes) -> object:
    """What is seen and heard of a file: pixels, or frames and samples with their times."""
    if name.endswith((".jpg", ".png", ".tif", ".webp", ".heic", ".avif")):
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # of damaged words
            image = Image.open(io.BytesIO(content))
            return image.size, image.mode, image.tobytes()
    with av.open(io.BytesIO(content), metadata_errors="replace") as clip:
        tracks = [track for track in clip.streams if track.type in ("audio", "video") and not track.disposition & 1024]
        # The times of MPEG audio begin by what lies before it.
        timed = not name.endswith(".mp3")
        return [(frame.pts if timed else 0, frame.to_ndarray().tobytes()) for frame in clip.decode(*tracks)]
