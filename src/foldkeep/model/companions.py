"""Which files belong together, by their names: a picture and what is written about it, a raw file and its JPEG."""

from .kinds import kind_of, kind_of_suffix, suffix_of

_RAW = frozenset(
    (
        "dng raw arw srf sr2 cr2 cr3 crw nef nrw orf raf rw2 rwl pef ptx srw 3fr fff iiq mos mrw x3f erf kdc dcr gpr"
    ).split()
)
_DEVELOPED = frozenset("jpg jpeg heic heif".split())
_LONGEST_TAG = 8


def stem_of(name: bytes) -> bytes:
    """Return a file's name without its suffix."""
    return name.rpartition(b".")[0] or name


def is_sidecar(name: bytes) -> bool:
    """Tell whether a file is one that describes another: XMP, subtitles, a cue sheet."""
    return kind_of(name) == "sidecar"


def sidecar_stems(name: bytes) -> tuple[bytes, ...]:
    """Return what a sidecar's owner may be called, with or without the owner's own suffix.

    >>> sidecar_stems(b"kite.jpg.xmp")
    (b'kite.jpg',)
    >>> sidecar_stems(b"clip.en.srt")
    (b'clip.en', b'clip')
    """
    stem = stem_of(name)
    tag = suffix_of(stem)
    is_language = tag.isalpha() and 2 <= len(tag) <= _LONGEST_TAG and kind_of_suffix(tag) is None
    return (stem, stem_of(stem)) if is_language else (stem,)


def owner_names(name: bytes) -> tuple[bytes, bytes]:
    """Return by what the sidecars of a file know it: without its suffix and with it."""
    return stem_of(name), name


def belongs_to(sidecar: bytes, name: bytes) -> bool:
    """Tell whether a sidecar belongs to a file in the same folder."""
    return (
        is_sidecar(sidecar) and not is_sidecar(name) and not set(sidecar_stems(sidecar)).isdisjoint(owner_names(name))
    )


def are_a_pair(name: bytes, other: bytes) -> bool:
    """Tell whether two files of a folder are a raw file and the picture that the camera made of it."""
    suffixes = {suffix_of(name), suffix_of(other)}
    return stem_of(name) == stem_of(other) and not suffixes.isdisjoint(_RAW) and not suffixes.isdisjoint(_DEVELOPED)


def counterpart(companion: bytes, name: bytes, other: bytes) -> bytes:
    """Return what a companion of the file `name` is called beside the file `other`.

    >>> counterpart(b"kite (1).xmp", b"kite (1).jpg", b"kite.jpg")
    b'kite.xmp'
    """
    if companion.startswith(name + b"."):
        return other + companion[len(name) :]
    return stem_of(other) + companion[len(stem_of(name)) :]
