"""Whether one picture shows what another shows, with less in it: a preview or proxy of a still.

Only the helper process of `foldkeep.signals.media_worker` comes here.
"""

import warnings
from typing import TYPE_CHECKING, Any

from foldkeep.model import Facts
from foldkeep.storage.local.reading import FILE, open_path

from .media import MOST_PIXELS, read_facts

if TYPE_CHECKING:
    from PIL.Image import Image

MEASURER = 1
"""The version of this measuring; a higher one measures all again."""

# A cell is the mean of so many pixels each way of the smaller picture that what a JPEG loses does not show in it:
# reductions of textured pictures at qualities from 30 up stay below 12 levels in every cell and below 2.5 on average;
# a spot of two cells that was painted over, or three per cent more light, do not.
_PIXELS_A_CELL = 8
_MOST_CELLS, LEAST_CELLS = 128, 4
_MOST_APART, _MOST_APART_ON_AVERAGE, MOST_LIGHT_APART = 16, 3.0, 1.0
OTHER_LIGHT = "its light or colour is another"
_SIXTEEN_BITS = ("I;16", "I;16B", "I;16L", "I", "F")


def difference(made: bytes, source: bytes) -> str:
    """Return what keeps a picture from being a mere reduction of another; empty if it is one.

    It is one if it has fewer pixels of the same shape, no more channels, bits or words than its source, and if the
    means of their cells agree all over the picture. A picture that was retouched or graded does not agree; one of
    the same size may have been, in ways that no measure of small differences tells, so it never is a reduction.
    """
    words = more_words(made, source, "photo")
    if words:
        return words
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            return _compared(made, source)
    except ModuleNotFoundError:
        raise
    except Exception:  # these libraries raise whatever a broken file leads them to
        return "one of the two cannot be decoded"


def more_words(made: bytes, source: bytes, kind: str) -> str:
    """Return what is written about a file, but not about its source, both of one kind; empty if nothing is."""
    mine, its = read_facts(made, kind), read_facts(source, kind)
    if mine.problem or its.problem:
        return "one of the two cannot be read whole"
    if any(one is not None and one != other for one, other in zip(_said(mine), _said(its), strict=True)):
        return "it has a rating, a title or a description that its source has not"
    return "" if set(mine.keywords) <= set(its.keywords) else "it has keywords that its source has not"


def _said(facts: Facts) -> tuple[float | None, str | None, str | None]:
    return facts.rating, facts.title, facts.description


def _compared(made: bytes, source: bytes) -> str:
    from PIL import Image

    Image.MAX_IMAGE_PIXELS = None  # we look ourselves
    with open(open_path(made, FILE), "rb") as one, open(open_path(source, FILE), "rb") as other:
        small, large = Image.open(one), Image.open(other)
        if max(small.width * small.height, large.width * large.height) > MOST_PIXELS:
            return "one of the two is too large to be decoded"
        if getattr(small, "n_frames", 1) > 1:
            return "it holds several pictures"
        if _channels(small) > _channels(large) or (small.mode in _SIXTEEN_BITS) > (large.mode in _SIXTEEN_BITS):
            return "it has more channels or bits than its source"
        if large.mode in _SIXTEEN_BITS:
            return "its source has more bits than can be compared"
        large.draft("RGB", (4 * _MOST_CELLS, 4 * _MOST_CELLS))  # a JPEG is decoded at a fraction of its size
        sizes = _upright_size(small, small.size), _upright_size(large, _full_size(source))
        if problem := shapes_apart(*sizes):
            return problem
        return _cells_apart(_upright(small), _upright(large), sizes[0])


def _full_size(path: bytes) -> tuple[int, int]:
    from PIL import Image

    with open(open_path(path, FILE), "rb") as file:
        return Image.open(file).size


def _channels(image: "Image") -> int:
    return 3 if image.mode == "P" else len(image.getbands())


def _upright_size(image: "Image", size: tuple[int, int]) -> tuple[int, int]:
    turned = image.getexif().get(0x0112) in (5, 6, 7, 8)
    return size[::-1] if turned else size


def shapes_apart(made: tuple[int, int], source: tuple[int, int]) -> str:
    """Return what of its size keeps a picture from being a reduction of another; empty if nothing does."""
    (width, height), (full_width, full_height) = made, source
    if width * height >= full_width * full_height or width > full_width or height > full_height:
        return "it has no fewer pixels than its source"
    by_width, by_height = full_height * width / full_width, full_width * height / full_height
    return "" if abs(by_width - height) <= 1 or abs(by_height - width) <= 1 else "it has another shape than its source"


def _upright(image: "Image") -> "Image":
    from PIL import ImageOps

    return ImageOps.exif_transpose(image).convert("RGBA")


def _cells_apart(made: "Image", source: "Image", size: tuple[int, int]) -> str:
    """Compare the means of cells of both pictures, all over them."""
    import numpy as np
    from PIL import Image

    cells = cells_of(size)
    if min(cells) < LEAST_CELLS:
        return "it is too small to be compared"
    one, other = (np.asarray(picture.resize(cells, Image.Resampling.BOX), dtype=np.int16) for picture in (made, source))
    return cells_apart(one, other)


def cells_of(size: tuple[int, int]) -> tuple[int, int]:
    """Return into how many cells, each way, a picture of a size in pixels is cut to be compared with its source."""
    scale = min(1 / _PIXELS_A_CELL, _MOST_CELLS / max(size))
    return round(size[0] * scale), round(size[1] * scale)


def cells_apart(one: Any, other: Any, most_light: float = MOST_LIGHT_APART) -> str:
    """Return what keeps two pictures from showing the same; empty if they do.

    Parameters
    ----------
    one, other
        The means of their cells: arrays of signed integers with rows, columns and channels.
    most_light
        How many levels all of a channel may be apart on average.
    """
    import numpy as np

    apart: Any = one - other
    if np.abs(apart).max() > _MOST_APART or np.abs(apart).mean() > _MOST_APART_ON_AVERAGE:
        return "it does not show the same all over"
    if np.abs(apart.mean(axis=(0, 1))).max() > most_light:
        return OTHER_LIGHT
    return ""
