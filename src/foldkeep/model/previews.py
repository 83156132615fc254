"""Small pictures of files beside them, told by their names."""

import re

from .companions import stem_of

_FOLDERS = frozenset((b"previews", b"thumbnails", b"thumbs", b".previews", b".thumbnails", b".thumbs"))
_WORD = rb"(?:preview|thumbnail|thumb)"
_MARKED = re.compile(rb"(.+)[ ._-]" + _WORD + rb"|" + _WORD + rb"[._-](.+)", re.IGNORECASE | re.DOTALL)


def preview_of(path: bytes) -> list[tuple[bytes, bytes]]:
    """Return what a file may be a preview of, by its name: folders and stems in lower case; nothing if it is none.

    >>> preview_of(b"/day/kite_preview.jpg")
    [(b'/day', b'kite')]
    >>> preview_of(b"/day/thumbs/kite.jpg.png")
    [(b'/day', b'kite.jpg'), (b'/day', b'kite')]
    >>> preview_of(b"/day/kite.jpg")
    []
    """
    lower = path.lower()
    if b"thumb" not in lower and b"preview" not in lower:  # nearly every path
        return []
    folder, _, name = path.rpartition(b"/")
    stem = stem_of(name).lower()
    above, _, inner = folder.rpartition(b"/")
    marked = _MARKED.fullmatch(stem)
    plain = (marked[1] or marked[2]) if marked else stem
    where = above if inner.lower() in _FOLDERS else folder
    if not marked and where is folder:
        return []
    return [(where, each) for each in dict.fromkeys((plain, stem_of(plain)))]
