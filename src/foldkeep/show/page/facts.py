"""What media say of themselves, as people read it."""

from typing import TYPE_CHECKING

from foldkeep.model import Facts, visible

if TYPE_CHECKING:
    from foldkeep.formats.sidecars import Xmp
    from foldkeep.signals import CopyState

_TURNS = {
    2: "mirrored", 3: "upside down", 4: "upside down, mirrored", 5: "on its left side, mirrored",
    6: "on its left side", 7: "on its right side, mirrored", 8: "on its right side",
}  # fmt: skip
_CHANNELS = {1: "mono", 2: "stereo"}


def fact_words(facts: Facts) -> dict[str, str]:
    """Return the facts that are known, each with what it is called; texts are visible ones."""
    width, height = facts.width, facts.height
    words = {
        "format": visible(facts.format or ""),
        "pixels": f"{width} × {height} ({width * height / 1e6:.1f} MP)" if width and height else "",
        "stored": _TURNS.get(facts.orientation or 1, ""),
        "taken": visible(facts.captured or "").replace("T", " "),
        "camera": visible(facts.camera or ""),
        "lens": visible(facts.lens or ""),
        "software": visible(facts.software or ""),
        "length": clock(facts.seconds) if facts.seconds else "",
        "frames": f"{facts.frame_rate:g} a second" if facts.frame_rate else "",
        "picture codec": visible(facts.video_codec or ""),
        "sound codec": visible(facts.audio_codec or ""),
        "bit rate": _bits(facts.bit_rate) if facts.bit_rate else "",
        "sampled": f"{facts.sample_rate / 1000:g} kHz" if facts.sample_rate else "",
        "channels": _CHANNELS.get(facts.channels, str(facts.channels)) if facts.channels else "",
        "title": visible(facts.title or ""),
        "artist": visible(facts.artist or ""),
        "album": visible(facts.album or ""),
        "track": visible(facts.track or ""),
        "rating": rating_words(facts.rating),
        "keywords": ", ".join(map(visible, facts.keywords)),
        "caption": visible(facts.description or ""),
        "problem": visible(facts.problem or ""),
    }
    return {name: value for name, value in words.items() if value}


def rating_words(rating: float | None) -> str:
    """Return an XMP rating as words."""
    if rating is None:
        return ""
    return "rejected" if rating < 0 else f"{rating:g} of 5"


def clock(seconds: float) -> str:
    """Return a length of time as a player shows it."""
    whole, tenths = divmod(round(seconds * 10), 10)
    minutes, rest = divmod(whole, 60)
    hours, minutes = divmod(minutes, 60)
    ahead = f"{hours}:{minutes:02}" if hours else str(minutes)
    return f"{ahead}:{rest:02}" + (f".{tenths}" if not hours and minutes < 10 else "")


def _bits(rate: int) -> str:
    return f"{rate / 1e6:.3g} Mbit/s" if rate >= 1_000_000 else f"{rate / 1000:.3g} kbit/s"


def link_words(look: "CopyState") -> str:
    """Return how many names a file has, and which of the copies shown are such names."""
    if not look.here:
        return ""
    if look.same_as:
        return f"same file as {', '.join(map(str, look.same_as))}"
    return "1" if look.links == 1 else f"{look.links} names"


def sidecar_words(look: "CopyState") -> str:
    """Return what is written about a file beside it."""
    parts = []
    for name, xmp in look.sidecars:
        said = ", ".join(_xmp_words(xmp)) if xmp else ""
        parts.append(visible(name) + (f" ({said})" if said else ""))
    return "; ".join(parts)


def _xmp_words(xmp: "Xmp") -> list[str]:
    rating = rating_words(xmp.rating)
    return [f"rating {rating}"] * bool(rating) + [visible(text) for text in (xmp.title, *xmp.keywords) if text]
