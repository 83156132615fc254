"""What a media file says about itself."""

from datetime import datetime

from .opening import FILE, open_path

_EXIF_FOLDER, _TAKEN = 0x8769, 0x9003  # Exif 2.32: the Exif IFD, DateTimeOriginal


def capture_moment(path: bytes) -> str | None:
    """Return when a photo was taken, ``2025-06-13T10:41:07`` in the camera's own time; None where it does not say.

    After Exif 2.32 (JEITA CP-3451), tag DateTimeOriginal.
    """
    from PIL import Image, UnidentifiedImageError

    try:
        with open(open_path(path, FILE), "rb") as file, Image.open(file) as image:
            written = image.getexif().get_ifd(_EXIF_FOLDER).get(_TAKEN)
        return datetime.strptime(str(written), "%Y:%m:%d %H:%M:%S").isoformat()
    except (OSError, ValueError, SyntaxError, UnidentifiedImageError, Image.DecompressionBombError):
        return None
