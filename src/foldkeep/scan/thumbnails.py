"""Thumbnails that desktops and programs share, and whether what they show is still there."""

import os
from collections.abc import Iterable, Iterator
from itertools import chain
from typing import NamedTuple
from urllib.parse import unquote_to_bytes

from foldkeep.formats import walked
from foldkeep.formats.catalogs import read_thumbnail
from foldkeep.model.names import lies_below
from foldkeep.storage.local.reading import modified_ns

_SHARED = b".sh_thumbnails"  # in a folder, for the files beside it; the thumbnails of a user lie in the cache folder
_URI = "file://"


class StaleThumbnail(NamedTuple):
    """A thumbnail that no longer shows what is there.

    Attributes
    ----------
    path, size, modified_ns
        The thumbnail.
    master
        Where the file lies, or lay, that it shows.
    is_gone
        Whether that file is gone; else it changed since.
    """

    path: bytes
    size: int
    modified_ns: int
    master: bytes
    is_gone: bool


def stale_thumbnails(cache: bytes, folders: Iterable[bytes], inside: Iterable[bytes]) -> Iterator[StaleThumbnail]:
    """Yield the thumbnails of files below some folders that are gone, or that changed since.

    Parameters
    ----------
    cache
        The user's folder for thumbnails (freedesktop.org: ``thumbnails`` in XDG_CACHE_HOME).
    folders
        Folders that are there; what a thumbnail shows elsewhere is not looked at.
    inside
        All the folders below them, which may have thumbnails shared by everybody.
    """
    tops = list(folders)
    shared = (os.path.join(folder, _SHARED) for folder in inside)
    for path in chain(_below(cache), *map(_below, shared)):
        said = read_thumbnail(path)
        master = shown_by(said.uri, path) if said else None
        if said is None or master is None or not any(lies_below(master, top) for top in tops):
            continue
        try:
            modified: int | None = int(os.lstat(master).st_mtime)
        except FileNotFoundError:
            modified = None
        except OSError:
            continue
        if modified is None or (said.modified is not None and modified != said.modified):
            facts = os.lstat(path)
            yield StaleThumbnail(path, facts.st_size, modified_ns(facts), master, modified is None)


def _below(folder: bytes) -> Iterator[bytes]:
    """Yield the thumbnails below a folder, in order; sizes have a folder each, failures one for each program."""
    for here, names in walked(folder):
        yield from (os.path.join(here, name) for name in names if name.endswith(b".png"))


def shown_by(uri: str, thumbnail: bytes) -> bytes | None:
    """Return the path that the URI in a thumbnail means; without a scheme, a name beside the folder of thumbnails."""
    if uri.startswith(_URI):
        path = unquote_to_bytes(uri[len(_URI) :])
        return path if path.startswith(b"/") and b"\0" not in path else None
    folder, found, _ = thumbnail.rpartition(b"/" + _SHARED + b"/")
    name = unquote_to_bytes(uri.removeprefix("./"))
    return os.path.join(folder, name) if found and name and b"/" not in name and b"\0" not in name else None
