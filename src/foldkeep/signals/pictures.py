"""Small pictures of media: a photo, three frames of a film, the wave of a sound.

Only the helper process of `foldkeep.signals.media_worker` comes here.
"""

import io
import warnings
from dataclasses import replace
from typing import TYPE_CHECKING, Any, BinaryIO

from foldkeep.model import Facts
from foldkeep.storage.local.reading import FILE, open_path

from .media import MOST_PIXELS, facts_in, picture_damage

if TYPE_CHECKING:
    from PIL.Image import Image

WIDTH, HEIGHT = 288, 216
"""The box that a picture fits in."""

_FRAMES = 3
_QUALITY = 70
_PAPER, _INK = (244, 243, 239), (11, 110, 131)
_SECONDS_OF_SOUND = 60 * 60
_RATE, _SAMPLES_A_PEAK = 8000, 64


def picture_of(path: bytes, kind: str) -> bytes | None:
    """Return a picture of a file as JPEG that fits in `WIDTH` by `HEIGHT`; None if none can be made."""
    return _picture_of(path, kind)[0]


def looked_at(path: bytes, kind: str) -> tuple[Facts, bytes | None]:
    """Return what a file says of itself, and a picture of it as `picture_of` does: a photo is decoded once for both."""
    facts = facts_in(path, kind)
    jpeg, wrong = _picture_of(path, kind)
    return (replace(facts, problem=wrong) if wrong and not facts.problem else facts), jpeg


def _picture_of(path: bytes, kind: str) -> tuple[bytes | None, str]:
    """Return a picture of a file, None if none can be made, and what is wrong with a photo's pixels, else empty."""
    makers = {"video": _of_film, "audio": _of_sound}
    if kind not in makers and kind != "photo":
        return None, ""
    try:
        with open(open_path(path, FILE), "rb") as file, warnings.catch_warnings():
            warnings.simplefilter("ignore")
            picture, wrong = photo_in(file) if kind == "photo" else (makers[kind](file), "")
    except OSError as error:
        if error.errno is not None:
            raise
        return None, ""
    except ModuleNotFoundError:
        raise
    except Exception:  # these libraries raise whatever a broken file leads them to
        return None, ""
    if picture is None:
        return None, wrong
    picture.thumbnail((WIDTH, HEIGHT))
    stream = io.BytesIO()
    picture.convert("RGB").save(stream, "JPEG", quality=_QUALITY, optimize=True)
    return stream.getvalue(), wrong


def photo_in(file: BinaryIO, box: tuple[int, int] = (WIDTH, HEIGHT)) -> "tuple[Image | None, str]":
    """Return a photo, upright, that fits in a box, and what is wrong with its pixels, empty if nothing is.

    None if it has too many pixels, or nothing of it can be shown. Raises OSError if the system does not let it be read.
    """
    from PIL import Image, ImageFile

    Image.MAX_IMAGE_PIXELS = None  # we look ourselves

    def decoded() -> Image.Image:
        file.seek(0)
        opened = Image.open(file)
        opened.draft("RGB", (2 * box[0], 2 * box[1]))  # a JPEG is decoded at a fraction of its size
        if opened.width * opened.height <= MOST_PIXELS:
            opened.load()
        return opened

    wrong = ""
    try:
        image = decoded()
    except Exception as error:  # Pillow raises whatever a broken file leads it to
        wrong = picture_damage(error)
        ImageFile.LOAD_TRUNCATED_IMAGES = True  # half a picture tells more than none
        try:
            image = decoded()
        except Exception as second:  # as above
            picture_damage(second)  # raises what the system says
            return None, wrong
        finally:
            ImageFile.LOAD_TRUNCATED_IMAGES = False  # the next one is to be told of
    return (_upright(image, box) if image.width * image.height <= MOST_PIXELS else None), wrong


def _upright(image: "Image", box: tuple[int, int]) -> "Image":
    """Return a picture that fits in a box, upright, on paper where it lets something through."""
    from PIL import Image, ImageOps

    if image.mode in ("I;16", "I", "F"):
        image = _stretched(image)
    image.thumbnail((max(box), max(box)))
    upright = ImageOps.exif_transpose(image)
    upright.thumbnail(box)
    if "A" in upright.getbands() or "transparency" in upright.info:
        layer = upright.convert("RGBA")
        paper = Image.new("RGBA", layer.size, (*_PAPER, 255))
        return Image.alpha_composite(paper, layer)
    return upright


def _stretched(image: "Image") -> "Image":
    """Return a picture of numbers of any range as shades of grey."""
    low, high = image.getextrema()
    if not isinstance(low, int | float) or not isinstance(high, int | float) or low == high:
        return image.convert("L")
    scale = 255 / (high - low)
    return image.point(lambda value: value * scale - low * scale).convert("L")


def _of_film(file: BinaryIO) -> "Image | None":
    """Return three frames: of the middle of a film, and below it, smaller, of a sixth and five sixths."""
    import av
    from PIL import Image

    frames: list[Image.Image] = []
    with av.open(file, "r") as clip:
        track = clip.streams.video[0]
        track.thread_type = "AUTO"
        for sixths in (3, 1, 5) if clip.duration else (0,):
            if clip.duration:
                clip.seek(clip.duration * sixths // 6)
            frame: Any = next(iter(clip.decode(track)), None)
            if frame is not None:
                frames.append(frame.to_image())
    if len(frames) < _FRAMES:
        return frames[0] if frames else None
    width, height = frames[0].size
    whole = Image.new("RGB", (WIDTH, max(2, round(WIDTH * height / width * 3 / 2))), _PAPER)
    half = (WIDTH // 2, whole.height // 3)
    for frame, size, place in zip(
        frames,
        ((WIDTH, half[1] * 2), half, half),
        ((0, 0), (0, half[1] * 2), (half[0], half[1] * 2)),
        strict=True,
    ):
        whole.paste(frame.resize(size), place)
    return whole


def swings_of(file: BinaryIO) -> tuple[Any, float]:
    """Return how far a sound swings in each part of its length, an array up to 32,768, and how long one is, in seconds.

    What comes after an hour is not in it. Raises what PyAV does.
    """
    import av
    import numpy as np

    peaks: list[Any] = []
    with av.open(file, "r") as clip:
        track = clip.streams.audio[0]
        resampler = av.AudioResampler(format="s16", layout="mono", rate=_RATE)
        samples = 0
        for frame in clip.decode(track):
            for part in resampler.resample(frame):
                swings = np.abs(part.to_ndarray().ravel().astype(np.int32))
                samples += swings.size
                whole = swings.size // _SAMPLES_A_PEAK * _SAMPLES_A_PEAK
                peaks.append(swings[:whole].reshape(-1, _SAMPLES_A_PEAK).max(axis=1) if whole else swings)
            if samples > _RATE * _SECONDS_OF_SOUND:
                break
    found = np.concatenate(peaks) if peaks else np.zeros(0, np.int32)
    return found, samples / _RATE / max(1, found.size)


def _of_sound(file: BinaryIO) -> "Image | None":
    """Return the wave of a sound: how far it swings in each part of its length."""
    import numpy as np
    from PIL import Image, ImageDraw

    wave, _ = swings_of(file)
    if not wave.size:
        return None
    height = HEIGHT // 3
    picture = Image.new("RGB", (WIDTH, height), _PAPER)
    draw = ImageDraw.Draw(picture)
    edges = np.linspace(0, wave.size, WIDTH + 1).astype(int)
    loudest = max(1, int(wave.max()))
    for x in range(WIDTH):
        part = wave[edges[x] : max(edges[x + 1], edges[x] + 1)]
        swing = float(part.max()) / loudest * (height / 2 - 3)
        draw.line([(x, height / 2 - swing), (x, height / 2 + swing)], fill=_INK)
    return picture
