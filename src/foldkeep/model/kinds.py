"""What a file is, told by the suffix of its name."""

from collections.abc import Iterable

_SUFFIXES = {
    "photo": (
        "jpg jpeg jpe jfif png gif tif tiff bmp webp heic heif avif jxl jp2 psd psb "
        "dng raw arw srf sr2 cr2 cr3 crw nef nrw orf raf rw2 rwl pef ptx srw 3fr fff iiq mos mrw "
        "x3f erf kdc dcr gpr exr hdr"
    ),
    "video": (
        "mp4 m4v mov qt avi mkv webm mpg mpeg mpe m2v mts m2ts ts vob wmv asf flv 3gp 3g2 ogv dv "
        "mxf r3d braw ari crm insv lrv gxf y4m"
    ),
    "audio": (
        "wav wave bwf rf64 w64 aif aiff aifc flac alac ape wv mp3 m4a m4b aac ogg oga opus wma ac3 dts "
        "mka amr au caf mid midi"
    ),
    "document": "pdf txt md rtf doc docx odt xls xlsx ods ppt pptx odp csv tsv html htm epub",
    "packed": "zip tar gz tgz bz2 tbz2 xz txz zst 7z rar iso img dmg pkg msi exe deb rpm appimage",
    "sidecar": "xmp srt vtt ass ssa sub idx lrc cue thm",
    "catalog": "m3u m3u8 pls xspf",
    "project": "otio otioz otiod edl fcpxml aaf",
}
_KIND_OF_SUFFIX = {suffix: kind for kind, suffixes in _SUFFIXES.items() for suffix in suffixes.split()}

OTHER = "other"
KINDS = (*_SUFFIXES, OTHER)


def suffix_of(name: bytes) -> str:
    """Return the suffix of a file name in lower case without its dot, or ``""``."""
    stem, dot, suffix = name.rpartition(b".")
    return suffix.decode("utf-8", "replace").lower() if dot and stem else ""


def kind_of_suffix(suffix: str) -> str | None:
    """Return the kind, one of `KINDS`, that a suffix in lower case stands for; None if it is not known."""
    return _KIND_OF_SUFFIX.get(suffix)


def kind_of_all(kinds: Iterable[str]) -> str:
    """Return the kind of a content that files of these kinds have: the first in order of the alphabet that says more
    than `OTHER`.
    """
    return min((kind for kind in kinds if kind != OTHER), default=OTHER)


def kind_of(name: bytes) -> str:
    """Return the kind, one of `KINDS`, that the suffix of a file name tells."""
    return kind_of_suffix(suffix_of(name)) or OTHER
