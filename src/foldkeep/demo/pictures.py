"""Photographs of kites over a meadow, drawn so that no two look alike."""

import io
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    import numpy as np
    from PIL import Image

SIZE = (1080, 720)
_SKIES = (
    ((92, 148, 214), (206, 228, 246)),
    ((70, 120, 190), (250, 214, 170)),
    ((128, 138, 160), (214, 216, 222)),
    ((58, 96, 168), (246, 178, 132)),
)
_SAILS = (
    (214, 48, 60),
    (244, 164, 30),
    (40, 120, 96),
    (92, 64, 160),
    (236, 92, 140),
    (24, 96, 170),
    (250, 220, 70),
)
_EXIF_MAKE, _EXIF_MODEL, _EXIF_SUBFOLDER = 0x010F, 0x0110, 0x8769
_EXIF_TAKEN, _EXIF_OFFSET = 0x9003, 0x9011


def draw_kites(seed: int, size: tuple[int, int] = SIZE) -> "Image.Image":
    """Return a picture of a sky with kites; the same seed gives the same picture."""
    import numpy as np
    from PIL import Image, ImageDraw

    random = np.random.default_rng(seed)
    width, height = size
    top, bottom = (np.array(color, float) for color in _SKIES[seed % len(_SKIES)])
    slope = np.linspace(0, 1, height)[:, None, None]
    sky = top + (bottom - top) * slope + _clouds(random, width, height)[:, :, None] * 40
    # Grain like a sensor's: it keeps files as large as photographs are.
    sky += random.normal(0, 3, (height, width, 1))
    picture = Image.fromarray(np.clip(sky, 0, 255, out=sky).astype("uint8"))
    pen = ImageDraw.Draw(picture)
    horizon = height * (0.82 + 0.08 * random.random())
    pen.rectangle((0, horizon, width, height), fill=(74, 110 + int(random.integers(40)), 60))
    for _ in range(int(random.integers(2, 7))):
        _draw_kite(pen, random, width, horizon)
    return picture


def _clouds(random: "np.random.Generator", width: int, height: int) -> Any:
    import numpy as np
    from PIL import Image

    rough = Image.fromarray((random.random((6, 9)) * 255).astype("uint8"))
    return np.asarray(rough.resize((width, height), Image.Resampling.BICUBIC), float) / 255


def _draw_kite(pen: Any, random: "np.random.Generator", width: int, horizon: float) -> None:
    import numpy as np

    center = np.array([random.uniform(0.08, 0.92) * width, random.uniform(0.1, 0.7) * horizon])
    span = random.uniform(0.03, 0.1) * width
    turn = random.uniform(-0.6, 0.6)
    axis = np.array([np.sin(turn), np.cos(turn)])
    across = np.array([axis[1], -axis[0]])
    nose, tail = center - axis * span, center + axis * span * 1.5
    left, right = center - across * span * 0.8, center + across * span * 0.8
    first, second = random.permutation(len(_SAILS))[:2]
    for corners, color in (
        ((nose, left, tail), _SAILS[first]),
        ((nose, right, tail), _SAILS[second]),
    ):
        pen.polygon([tuple(corner) for corner in corners], fill=color)
    pen.line([tuple(left), tuple(right)], fill=(60, 44, 30), width=2)
    pen.line([tuple(center), (width * random.uniform(0.2, 0.8), horizon)], fill=(235, 235, 235), width=1)
    bow = tail
    for step in range(7):
        following = bow + np.array([random.normal(0, span * 0.2), span * 0.28])
        pen.line([tuple(bow), tuple(following)], fill=(60, 60, 60), width=2)
        radius = span * 0.07
        pen.ellipse((*(following - radius), *(following + radius)), fill=_SAILS[(first + step) % len(_SAILS)])
        bow = following


def jpeg(seed: int, camera: str, taken: str, shot: int = 0) -> bytes:
    """Return a JPEG with EXIF; `taken` is the local time ``YYYY:MM:DD HH:MM:SS``, two hours east of UTC.

    Of a burst, each `shot` after the first shows the kites a little farther on.
    """
    from PIL import Image

    exif = Image.Exif()
    exif[_EXIF_MAKE] = "Windmere Media Desk"
    exif[_EXIF_MODEL] = camera
    exif.get_ifd(_EXIF_SUBFOLDER).update({_EXIF_TAKEN: taken, _EXIF_OFFSET: "+02:00"})
    stream = io.BytesIO()
    picture = draw_kites(seed)
    if shot:
        width, height = picture.size
        picture = picture.crop((6 * shot, 3 * shot, width, height)).resize(picture.size, Image.Resampling.BICUBIC)
    picture.save(stream, "JPEG", quality=84, exif=exif)
    return stream.getvalue()


def with_words(content: bytes, xmp: bytes) -> bytes:
    """Return a JPEG picture with XMP in it; what it shows is not touched."""
    words = b"http://ns.adobe.com/xap/1.0/\0" + xmp
    return content[:2] + b"\xff\xe1" + (len(words) + 2).to_bytes(2, "big") + words + content[2:]


def changed(content: bytes, change: str) -> bytes:
    """Return a JPEG picture ``smaller``, ``brighter``, ``cropped`` or ``grey``, without what it says of itself."""
    from PIL import Image, ImageEnhance

    image = Image.open(io.BytesIO(content)).convert("RGB")
    width, height = image.size
    if change == "smaller":
        image = image.resize((width // 2, height // 2), Image.Resampling.LANCZOS)
    elif change == "brighter":
        image = ImageEnhance.Brightness(image).enhance(1.2)
    elif change == "cropped":
        image = image.crop((0, 0, round(0.88 * width), height))
    else:
        image = image.convert("L").convert("RGB")
    stream = io.BytesIO()
    image.save(stream, "JPEG", quality=80)
    return stream.getvalue()


def reduced(content: bytes) -> bytes:
    """Return a JPEG picture at a third of its width and height, without what it says of itself."""
    from PIL import Image

    image = Image.open(io.BytesIO(content))
    stream = io.BytesIO()
    image.resize((image.width // 3, image.height // 3), Image.Resampling.LANCZOS).save(stream, "JPEG", quality=75)
    return stream.getvalue()


def poster() -> bytes:
    """Return the festival's poster as a PNG."""
    from PIL import ImageDraw, ImageFont

    picture = draw_kites(2025, (600, 840))
    pen = ImageDraw.Draw(picture)
    pen.rectangle((40, 640, 560, 800), fill=(252, 248, 236))
    pen.text((60, 656), "Windmere\nKite Days", fill=(30, 50, 90), font=ImageFont.load_default(56))
    stream = io.BytesIO()
    picture.quantize(64).save(stream, "PNG")
    return stream.getvalue()
