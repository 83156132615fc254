"""What pictures decode to: all their pixels.

Only pictures that have an essence are decoded: of others it is not known what else is in them. What has more pictures
than one, or sensor data in place of pixels, is none.
"""

import os
import struct
import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any, BinaryIO

from blake3 import blake3

from ..essences import FileSource, NoEssence, essence_of
from ..media import MOST_PIXELS
from .finding import Finding, NotDecoded

_SIGNS = (b"\x89PNG\r\n\x1a\n", b"II*\0", b"MM\0*", b"\xff\xd8\xff", b"RIFF")
_FORMATS = ("PNG", "TIFF", "JPEG", "WEBP")
_EIGHT_BITS = ("1", "L", "LA", "P", "RGB", "RGBA", "CMYK")
_SIXTEEN_BITS = ("I;16", "I;16B", "I;16L")
_DEPTH_OF_PNG, _LOSSLESS_WEBP = 24, b"VP8L"
_BITS, _PHOTOMETRIC, _SUB_DIRECTORIES, _DNG_VERSION = 258, 262, 330, 50706
_SENSOR = (32803, 34892)  # colour filter array, linear raw
_USUAL_TABLE = bytes((0, 2, 1, 3, 3, 2, 4, 3, 5, 5, 4, 4, 0, 0, 1, 125))  # ITU-T T.81, table K.5
_BLOCK = 16 * 1024 * 1024  # pixels that are turned into bytes at a time


def is_still(file: BinaryIO) -> bool:
    """Tell whether a file begins as a picture of a format that is decoded here does; leave it at its beginning."""
    head = file.read(16)
    file.seek(0)
    return head.startswith(_SIGNS) and (head[:4] != b"RIFF" or head[8:12] == b"WEBP")


def still_form(file: BinaryIO) -> tuple[str, str, float] | None:
    """Return the form of a picture, see `forms`; None if it is none that is decoded here."""
    try:
        with _opened(file) as image:
            if image.format != "JPEG":
                return repr(("pixels", *image.size)), "", 0.0
            tables = blake3(repr((sorted(image.quantization.items()), image.layer)).encode()).hexdigest(16)
            return repr(("jpeg", *image.size, tables)), _jpeg_coding(file), 0.0
    except NotDecoded:
        return None


def still_finding(file: BinaryIO) -> Finding:
    """Return what a picture decodes to. Raise NotDecoded if that cannot be told, what Pillow raises of a broken one."""
    try:
        essence = essence_of(FileSource(file.fileno(), os.fstat(file.fileno()).st_size))
    except NoEssence as error:
        raise NotDecoded(str(error)) from error
    file.seek(0)
    with _opened(file) as image:
        more = {shown.name: shown.value for shown in essence.shown}
        if profile := image.info.get("icc_profile"):
            more["profile"] = blake3(profile).hexdigest(8)
        if gamma := image.info.get("gamma"):
            more["gamma"] = f"{gamma:g}"
        is_deep = image.mode in _SIXTEEN_BITS or _bits(image, file) > 8
        digest = _deep_digest(image, file) if is_deep else _digest(image)
        width, height = image.size
        bits = 16 if is_deep else 8
        return Finding(digest, f"{width:,} × {height:,} pixels, {bits} bits a channel", more=more)


@contextmanager
def _opened(file: BinaryIO) -> Iterator[Any]:
    """Open a picture. Raises NotDecoded if it is none that is decoded here."""
    from PIL import Image

    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        with Image.open(file, formats=_FORMATS) as image:
            if image.width * image.height > MOST_PIXELS:
                raise NotDecoded("it has too many pixels")
            if getattr(image, "n_frames", 1) > 1 or image.format not in _FORMATS:
                raise NotDecoded("it has more than one picture")
            if image.mode not in _EIGHT_BITS + _SIXTEEN_BITS:
                raise NotDecoded("its colours are of a kind that is not compared")
            _check_coding(image, file)
            yield image


def _check_coding(image: Any, file: BinaryIO) -> None:
    if image.format == "TIFF":
        tags = image.tag_v2
        if _SUB_DIRECTORIES in tags or _DNG_VERSION in tags or tags.get(_PHOTOMETRIC) in _SENSOR:
            raise NotDecoded("it is no plain picture")
    if image.format == "WEBP" and os.pread(file.fileno(), 4, 12) != _LOSSLESS_WEBP:
        raise NotDecoded("it is not known how it is coded")


def _bits(image: Any, file: BinaryIO) -> int:
    """Return how many bits a channel has in the file; Pillow gives only eight of those of colours."""
    if image.format == "PNG":
        return os.pread(file.fileno(), 1, _DEPTH_OF_PNG)[0]
    bits = image.tag_v2.get(_BITS, 1) if image.format == "TIFF" else 8
    return int(max(bits)) if isinstance(bits, tuple) else int(bits)


def _jpeg_coding(file: BinaryIO) -> str:
    """Return how the data of a JPEG file (ITU-T T.81) are coded: its kind of frame, and whether by the usual tables."""
    at, frame, is_usual = 2, "", False
    while len(head := os.pread(file.fileno(), 4, at)) == 4:
        _, code, length = struct.unpack(">BBH", head)
        if code == 0xDA:
            break
        if code == 0xC4:
            is_usual = is_usual or _USUAL_TABLE in os.pread(file.fileno(), length, at + 4)
        elif 0xC0 <= code <= 0xCF and code not in (0xC8, 0xCC):
            frame = f"{code:x}"
        at += 2 + length
    return f"{frame} {'usual' if is_usual else 'own'}"


def _digest(image: Any) -> str:
    """Return a digest of the pixels of a picture of eight bits; grey alone, or a palette, is no difference."""
    model = "CMYK" if image.mode == "CMYK" else "RGB"
    has_alpha = image.mode in ("LA", "RGBA") or "transparency" in image.info
    colors, alphas = blake3(f"{model} 8 {image.size}".encode()), blake3()
    is_opaque = True
    rows = max(1, _BLOCK // image.width)
    for top in range(0, image.height, rows):
        block = image.crop((0, top, image.width, min(top + rows, image.height)))
        if has_alpha:
            block = block.convert("RGBA")
            alpha = block.getchannel("A")
            is_opaque = is_opaque and alpha.getextrema()[0] == 255
            alphas.update(alpha.tobytes())
        colors.update(block.convert(model).tobytes())
    if not is_opaque:
        colors.update(alphas.digest())
    return str(colors.hexdigest())


def _deep_digest(image: Any, file: BinaryIO) -> str:
    """Return a digest of the pixels of a picture of sixteen bits."""
    import numpy as np

    pixels = np.asarray(image)[..., None] if image.mode in _SIXTEEN_BITS else _deep_pixels(file)
    if pixels.shape[2] == 4 and pixels[..., 3].min() == 65535:
        pixels = pixels[..., :3]
    hasher = blake3(f"16 {image.size} {pixels.shape[2]}".encode())
    rows = max(1, _BLOCK // image.width)
    for top in range(0, len(pixels), rows):
        hasher.update(np.ascontiguousarray(pixels[top : top + rows], "<u2").tobytes())
    return str(hasher.hexdigest())


def _deep_pixels(file: BinaryIO) -> Any:
    """Return the pixels of a picture with sixteen bits a colour, as rows of columns of channels."""
    import av

    file.seek(0)
    with av.open(file, "r") as clip:
        frame = next(clip.decode(video=0))
        if frame.format.name not in ("rgb48le", "rgb48be", "rgba64le", "rgba64be"):
            raise NotDecoded("its colours are of a kind that is not compared")
        return frame.to_ndarray()
