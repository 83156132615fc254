"""What the first bytes of a file say it is, and whether its suffix says otherwise.

The signatures are those that the formats' own specifications fix: JFIF, PNG (ISO 15948), GIF89a, TIFF 6.0,
RIFF, the ISO base media file format (ISO 14496-12), Matroska (RFC 9559), FLAC (RFC 9639), Ogg (RFC 3533),
ID3v2, ZIP and PDF (ISO 32000).
"""

from .kinds import suffix_of

_FIRST_FOUR = {
    b"\x89PNG": "PNG",
    b"GIF8": "GIF",
    b"II*\0": "TIFF",
    b"MM\0*": "TIFF",
    b"\x1aE\xdf\xa3": "Matroska",
    b"fLaC": "FLAC",
    b"OggS": "Ogg",
    b"PK\x03\x04": "ZIP",
    b"%PDF": "PDF",
}
_FIRST_THREE = {b"\xff\xd8\xff": "JPEG", b"ID3": "MP3"}
_RIFF_FORMS = {b"WAVE": "WAV", b"AVI ": "AVI", b"WEBP": "WebP"}
_STILL_BRANDS = (b"heic", b"heix", b"mif1", b"msf1", b"avif", b"avis")
# Suffixes that promise one of these formats; a suffix that is not here promises nothing.
_SUFFIXES = {
    "JPEG": "jpg jpeg jpe jfif",
    "PNG": "png",
    "GIF": "gif",
    "TIFF": "tif tiff dng nef cr2 arw pef srw 3fr nrw",
    "WebP": "webp",
    "BMP": "bmp",
    "HEIF": "heic heif avif",
    "MP4": "mp4 m4v m4a m4b mov qt 3gp 3g2",
    "Matroska": "mkv webm mka",
    "AVI": "avi",
    "WAV": "wav wave bwf",
    "FLAC": "flac",
    "Ogg": "ogg oga opus ogv",
    "MP3": "mp3",
    "ZIP": "zip",
    "PDF": "pdf",
}
_PROMISED = {suffix: name for name, suffixes in _SUFFIXES.items() for suffix in suffixes.split()}
# A lossless or an AAC file may carry an ID3 tag in front, which its suffix need not promise.
_MAY_CARRY_ID3 = ("FLAC", "WAV")


# What may hold a film may hold a sound alone; the first is what it is taken for under a false name.
_KINDS = {
    **dict.fromkeys(("JPEG", "PNG", "GIF", "TIFF", "WebP", "HEIF"), ("photo",)),
    **dict.fromkeys(("MP4", "Matroska", "Ogg"), ("video", "audio")),
    **dict.fromkeys(("WAV", "FLAC", "MP3"), ("audio",)),
    "AVI": ("video",),
}


def format_of(start: bytes) -> str | None:
    """Return the name of the format whose signature a file starts with, or None."""
    four = start[:4]
    if four == b"RIFF":
        return _RIFF_FORMS.get(start[8:12])
    found = _FIRST_FOUR.get(four) or _FIRST_THREE.get(four[:3])
    if found is None and start[4:8] == b"ftyp":
        return "HEIF" if start[8:12] in _STILL_BRANDS else "MP4"
    return found


def kind_told(name: bytes, start: bytes, kind: str) -> str:
    """Return the kind of a file by its first bytes where they contradict its suffix, else as its name says."""
    kinds = _KINDS.get(contradiction(name, start) or "", ())
    return kinds[0] if kinds and kind not in kinds else kind


def contradiction(name: bytes, start: bytes) -> str | None:
    """Return the format that a file's first bytes tell if its suffix promises another, else None.

    `start` needs 12 bytes. A file whose suffix promises no known format, or whose first bytes tell none, is
    no contradiction.
    """
    promised = _PROMISED.get(suffix_of(name))
    if promised is None:
        return None
    found = format_of(start)
    if found is None or promised == found:
        return None
    if found == "MP3" and promised in _MAY_CARRY_ID3:
        return None
    return found
