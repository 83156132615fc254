"""Prints of photos: what stays of a picture when it is saved again, made smaller or brighter, turned, bordered or cut.

A print is the signs of the lowest 256 coefficients of a two-dimensional discrete cosine transform (type II; Ahmed,
Natarajan and Rao, 1974) of 64 by 64 shades of grey. Mirrored or turned pictures have the same coefficients but for
their signs and order, so their prints follow from one transform. Before it, half of each shade is replaced by its rank
among all shades: a change of brightness, contrast or gamma keeps ranks.

Only the helper process of `foldkeep.signals.media_worker` comes here.
"""

import warnings
from functools import lru_cache
from typing import TYPE_CHECKING, Any

from foldkeep.stock import KnownPrint
from foldkeep.storage.local.reading import FILE, open_path

from .media import MOST_PIXELS, undecodable

if TYPE_CHECKING:
    from PIL.Image import Image

SIDE = 64
"""Shades of grey a side, of which a print is made and which are kept for comparing."""

BITS = 256
CUTS = tuple((cut / 2, cut / 2, cut / 2, cut / 2) for cut in (0.04, 0.07, 0.10, 0.13, 0.16, 0.20)) + tuple(
    window
    for cut in (0.03, 0.06, 0.09, 0.12, 0.15, 0.18, 0.21)
    for window in (
        *((left, top, cut - left, cut - top) for left in (0.0, cut) for top in (0.0, cut)),
        (cut, 0.0, 0.0, 0.0), (0.0, cut, 0.0, 0.0), (0.0, 0.0, cut, 0.0), (0.0, 0.0, 0.0, cut),
    )
)  # fmt: skip
"""Windows of a picture that have a print of their own: the part cut off at the left, top, right and bottom."""

ORDER = tuple(
    sorted(
        ((row, column) for row in range(SIDE) for column in range(SIDE)),
        key=lambda spot: (sum(spot), min(spot), spot),
    )[1 : BITS + 1]
)
"""Rows and columns of the coefficients whose signs are the bits of a print, from the lowest frequencies up.

With each, its mirror image across the diagonal is among them: a turned picture has the same bits elsewhere.
"""

WORKING = 4 * SIDE
"""Shades of grey along the longer side of a picture of which prints are made."""

_FOCUS, _LAPLACIAN = 1024, 3  # shades along the longer side that sharpness is told by, and the least a side

_PLAIN = 6.0
_EVEN, _STEP, _MOST_BORDER = 3.0, 7.0, 0.3
_RANKED = 0.5
_GREY_MODES = ("1", "L", "LA", "I;16", "I;16B", "I;16L", "I", "F")
_SUM_OF_TABLE = 3692  # of the luma table at quality 50 (ITU-T T.81, table K.1)


def photo_print(path: bytes) -> KnownPrint:
    """Return the print of a photo; of one that is too plain, too large, or cannot be decoded, why it has none.

    `print` is the print of the whole picture, and then that of what lies within a border, if there is one. `parts` is
    a print for each of `CUTS`. `detail` is `SIDE` by `SIDE` shades of grey, a byte each, row by row: of the whole
    picture, then of what lies within the border.

    Raises
    ------
    OSError
        If the system does not let it be read.
    """
    import numpy as np
    from PIL import Image, ImageFile

    Image.MAX_IMAGE_PIXELS = None  # we look ourselves
    ImageFile.LOAD_TRUNCATED_IMAGES = False
    try:
        with open(open_path(path, FILE), "rb") as file, warnings.catch_warnings():
            warnings.simplefilter("ignore")
            image = Image.open(file)
            if image.width * image.height > MOST_PIXELS:
                return KnownPrint(problem="it has too many pixels")
            quality = _jpeg_quality(image)
            image.draft("RGB", (_FOCUS, _FOCUS))  # a JPEG is decoded at a fraction of its size
            color, grey = _color(image), _grey(image)
            sharpness = _sharpness(grey)
            grey.thumbnail((WORKING, WORKING), Image.Resampling.BOX, reducing_gap=2.0)
            return _print_of(np.asarray(grey, np.float32), sharpness, quality, color)
    except Exception as error:  # Pillow raises whatever a broken file leads it to
        return KnownPrint(problem=undecodable(error))


def _print_of(shades: Any, sharpness: float, quality: int, color: float) -> KnownPrint:
    import numpy as np

    if is_plain(shades):
        return KnownPrint(problem="it is too plain")
    inner = shades[within_border(shades)]
    planes = [shades] if inner.shape == shades.shape else [shades, inner]
    ranked = [_ranked(plane) for plane in planes]
    prints = b"".join(_bits(_coefficients(_resized(plane))) for plane in ranked)
    windows = b"".join(_bits(_coefficients(_resized(ranked[0], cut))) for cut in CUTS)
    kept = b"".join(np.rint(_resized(plane)).clip(0, 255).astype(np.uint8).tobytes() for plane in planes)
    within = round(inner.size / shades.size, 4)
    return KnownPrint(prints, windows, kept, sharpness, quality, color, within)


def _sharpness(grey: "Image") -> float:
    """Return the standard deviation of the Laplacian of a picture, which falls where it is out of focus or moved.

    Pech-Pacheco et al., "Diatom autofocusing in brightfield microscopy: a comparative study", 2000.
    """
    import numpy as np
    from PIL import Image

    focus = grey.copy()
    focus.thumbnail((_FOCUS, _FOCUS), Image.Resampling.BOX, reducing_gap=2.0)
    shades = np.asarray(focus, np.float32)
    if min(shades.shape) < _LAPLACIAN:
        return 0.0
    center = shades[1:-1, 1:-1]
    apart = shades[:-2, 1:-1] + shades[2:, 1:-1] + shades[1:-1, :-2] + shades[1:-1, 2:] - 4 * center
    return round(float(apart.std()), 3)


def _color(image: "Image") -> float:
    """Return how far the largest and the smallest of red, green and blue lie apart, on average over a few pixels."""
    import numpy as np
    from PIL import Image

    if image.mode in _GREY_MODES:
        return 0.0
    pixels = np.asarray(image.resize((SIDE, SIDE), Image.Resampling.NEAREST).convert("RGB"), np.int16)
    return round(float((pixels.max(axis=2) - pixels.min(axis=2)).mean()), 1)


def _grey(image: "Image") -> "Image":
    """Return a picture's shades of grey, upright, on neutral ground where it is transparent."""
    import numpy as np
    from PIL import Image, ImageOps

    image = ImageOps.exif_transpose(image)
    if image.mode in ("I;16", "I", "F"):
        values = np.asarray(image, np.float64)
        low, high = float(values.min()), float(values.max())
        image = Image.fromarray(((values - low) * (255 / ((high - low) or 1))).astype(np.uint8))
    if "A" in image.getbands() or "transparency" in image.info:
        layer = image.convert("RGBA")
        image = Image.alpha_composite(Image.new("RGBA", layer.size, (128, 128, 128, 255)), layer)
    return image.convert("L")


def is_plain(shades: Any) -> bool:
    """Tell whether a picture shows too little to be told from others."""
    return min(shades.shape) < 2 or float(shades.std()) < _PLAIN


def print_of(shades: Any) -> bytes:
    """Return the print of a whole picture, `BITS` bits, by its shades of grey of any size."""
    return _bits(_coefficients(_resized(_ranked(shades))))


def within_border(shades: Any) -> tuple[slice, slice]:
    """Return the rows and columns within a border of one shade; all where there is none, or little else.

    A border ends at once: the even sky at the top of a picture is none.
    """

    def border(lines: Any) -> int:
        first = float(lines[0].mean())
        off = abs(lines[: int(len(lines) * _MOST_BORDER) + 1] - first).mean(axis=1)
        outside = (off >= _EVEN).nonzero()[0]
        if not len(outside) or outside[0] == 0:
            return 0
        end = int(outside[0])
        # Where a border was made smaller with its picture, one line is a mixture of both.
        return end if float(off[end : end + 2].max()) >= _STEP else 0

    height, width = shades.shape
    top, bottom, left, right = (border(lines) for lines in (shades, shades[::-1], shades.T, shades.T[::-1]))
    if min(height - top - bottom, width - left - right) < SIDE // 2:
        return slice(None), slice(None)
    return slice(top, height - bottom), slice(left, width - right)


def _ranked(shades: Any) -> Any:
    """Return shades of which half is their rank, from 0 to 255."""
    import numpy as np

    values = np.rint(shades).clip(0, 255).astype(np.uint8)
    counts = np.bincount(values.ravel(), minlength=256).astype(np.float64)
    ranks = (np.cumsum(counts) - counts / 2) * (255 / values.size)
    return (_RANKED * ranks[values] + (1 - _RANKED) * shades).astype(np.float32)


def _resized(shades: Any, cut: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)) -> Any:
    """Return `SIDE` by `SIDE` shades of a picture, or of a window of it."""
    import numpy as np
    from PIL import Image

    height, width = shades.shape
    left, top, right, bottom = cut
    box = (left * width, top * height, (1 - right) * width, (1 - bottom) * height)
    image = Image.fromarray(np.ascontiguousarray(shades, np.float32))
    way = Image.Resampling.BOX if min(height, width) >= 2 * SIDE else Image.Resampling.BILINEAR
    return np.asarray(image.resize((SIDE, SIDE), way, box), np.float32)


@lru_cache(1)
def _cosines() -> tuple[Any, Any, Any]:
    """Return the matrix of the transform, and the rows and columns of `ORDER`."""
    import numpy as np

    at = np.arange(SIDE)
    matrix = np.sqrt(2 / SIDE) * np.cos(np.pi * (2 * at[None, :] + 1) * at[:, None] / (2 * SIDE))
    matrix[0] /= np.sqrt(2)
    rows, columns = zip(*ORDER, strict=True)
    return matrix, np.array(rows), np.array(columns)


def _coefficients(shades: Any) -> Any:
    matrix, _, _ = _cosines()
    return matrix @ shades @ matrix.T


def _bits(coefficients: Any) -> bytes:
    import numpy as np

    _, rows, columns = _cosines()
    return bytes(np.packbits(coefficients[rows, columns] > 0))


def _jpeg_quality(image: "Image") -> int:
    tables: dict[int, list[int]] = getattr(image, "quantization", None) or {}
    if not tables.get(0):
        return 0
    scale = 100 * sum(tables[0]) / _SUM_OF_TABLE
    return max(1, min(100, round((200 - scale) / 2 if scale <= 100 else 5000 / scale)))
