"""What a media file says about itself."""

from dataclasses import asdict, dataclass, fields
from typing import Any, Self


@dataclass(frozen=True, slots=True)
class Facts:
    """Facts that a photo, video or sound states; what it does not state is None or empty.

    Attributes
    ----------
    format
        As the trade calls it: ``JPEG``, ``MP4``, ``FLAC``.
    width, height
        Pixels as they are stored, before any turning.
    orientation
        How the picture is to be turned, 1 (upright) to 8, after Exif 2.32 (JEITA CP-3451).
    captured
        When it was taken, ISO 8601, with its offset from UTC where that is known.
    software
        By which it was saved, as it says itself.
    rating
        ``xmp:Rating``: -1 (rejected) to 5.
    seconds
        Length.
    bit_rate
        Bits a second, of all streams together.
    sample_rate
        Samples a second in each channel.
    problem
        Why not everything could be read.
    """

    format: str | None = None
    width: int | None = None
    height: int | None = None
    orientation: int | None = None
    captured: str | None = None
    camera: str | None = None
    lens: str | None = None
    software: str | None = None
    rating: float | None = None
    keywords: tuple[str, ...] = ()
    title: str | None = None
    description: str | None = None
    seconds: float | None = None
    frame_rate: float | None = None
    video_codec: str | None = None
    audio_codec: str | None = None
    bit_rate: int | None = None
    sample_rate: int | None = None
    channels: int | None = None
    artist: str | None = None
    album: str | None = None
    track: str | None = None
    problem: str | None = None

    def known(self) -> dict[str, Any]:
        """Return the facts that are known, by name, in the order of the attributes; lists for tuples."""
        return {
            name: list(value) if isinstance(value, tuple) else value
            for name, value in asdict(self).items()
            if value not in (None, ())
        }

    @classmethod
    def from_known(cls, known: dict[str, Any]) -> Self:
        """Return the facts that `known` gave; names that are not known here are passed by."""
        values: dict[str, Any] = {
            field.name: tuple(value) if isinstance(value := known[field.name], list) else value
            for field in fields(cls)
            if field.name in known
        }
        return cls(**values)
