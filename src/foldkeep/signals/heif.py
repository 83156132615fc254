"""HEIF pictures, which Pillow opens by a library of its own."""

from functools import cache


@cache
def opens_heif() -> bool:
    """Have Pillow open HEIF pictures, and tell whether it can: the library for it is not built for every system."""
    try:
        from pillow_heif import register_heif_opener
    except ImportError:
        return False
    register_heif_opener(thumbnails=False)
    return True
