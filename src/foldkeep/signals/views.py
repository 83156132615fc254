"""What is shown of files that are compared by eye and ear: a larger picture, the swings of a sound, frames of a film.

Only the helper process of `foldkeep.signals.media_worker` comes here.
"""

import io
import warnings
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, NamedTuple

from foldkeep.storage.local.reading import FILE, open_path

from .media import undecodable
from .photo_prints import within_border
from .pictures import photo_in, swings_of

if TYPE_CHECKING:
    from PIL.Image import Image

PHOTO, FRAME = (800, 800), (480, 480)
"""The boxes that a photo and a frame fit in."""

MOST_SWINGS = 4000
_QUALITY = 78


class View(NamedTuple):
    """View of a file.

    Attributes
    ----------
    pictures
        A photo, or frames of a film, as JPEG.
    swings
        How far a sound swings in each of equal parts of its length, from 0 to 255, a byte each.
    seconds
        How long such a part is.
    border
        Which part of the pictures is a border of one shade, at the left, top, right and bottom.
    """

    pictures: tuple[bytes, ...] = ()
    swings: bytes = b""
    seconds: float = 0.0
    border: tuple[float, ...] = ()


def view_of(path: bytes, kind: str, moments: Sequence[float] = ()) -> View:
    """Return what is to be seen of a photo, of a sound, or of a film at moments, in seconds; nothing if it is broken.

    Raises
    ------
    OSError
        If the system does not let it be read.
    """
    try:
        with open(open_path(path, FILE), "rb") as file, warnings.catch_warnings():
            warnings.simplefilter("ignore")
            if kind == "photo":
                picture, _ = photo_in(file, PHOTO)
                return _pictures([picture], PHOTO) if picture else View()
            if kind == "audio":
                return _swings(*swings_of(file))
            return _pictures(_frames(file, moments), FRAME)
    except Exception as error:  # these libraries raise whatever a broken file leads them to
        undecodable(error)
        return View()


def _pictures(pictures: "Sequence[Image]", box: tuple[int, int]) -> View:
    import numpy as np

    if not pictures:
        return View()
    shades = np.max([np.asarray(picture.convert("L"), np.float32) for picture in pictures], axis=0)
    rows, columns = within_border(shades)
    height, width = shades.shape
    left, right, _ = columns.indices(width)
    top, bottom, _ = rows.indices(height)
    border = left / width, top / height, 1 - right / width, 1 - bottom / height
    return View(tuple(_jpeg(picture, box) for picture in pictures), border=border if any(border) else ())


def _swings(swings: Any, seconds: float) -> View:
    import numpy as np

    if not swings.size:
        return View()
    step = -(-swings.size // MOST_SWINGS)
    padded = np.pad(swings, (0, -swings.size % step))
    parts = padded.reshape(-1, step).max(axis=1)
    return View(swings=(parts // 128).clip(0, 255).astype(np.uint8).tobytes(), seconds=step * seconds)


def _frames(file: Any, moments: Sequence[float]) -> "list[Image]":
    import av

    found: list[Image] = []
    with av.open(file, "r", metadata_errors="replace") as clip:
        track = clip.streams.video[0]
        track.thread_type = "AUTO"
        start = float((track.start_time or 0) * (track.time_base or 0))
        half = 0.5 / float(track.average_rate or 25)
        for moment in moments:
            clip.seek(round((moment + start) * av.time_base))
            frame = next(
                (each for each in clip.decode(track) if each.time and each.time - start >= moment - half), None
            )
            if frame is not None:
                found.append(frame.to_image().rotate(frame.rotation, expand=True))
                found[-1].thumbnail(FRAME)
    size = found[0].size if found else None
    return [each for each in found if each.size == size]


def _jpeg(picture: "Image", box: tuple[int, int]) -> bytes:
    picture.thumbnail(box)
    stream = io.BytesIO()
    picture.convert("RGB").save(stream, "JPEG", quality=_QUALITY, optimize=True)
    return stream.getvalue()
