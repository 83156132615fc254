"""Open formats in and out, in rooms by what they are of; here is what all of them read by."""

from .reading import opened_file, walked

__all__ = ["opened_file", "walked"]
