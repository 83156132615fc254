"""File names as bytes, as ``file:`` URIs, and as text that is safe to look at.

A name on a POSIX file system is any run of bytes without NUL and slash; it need not be text. Fold Keep
carries names as bytes and turns them into text in two ways only: a URI, which gives the same bytes back,
and a visible form, which is for eyes.
"""

from collections.abc import Iterable, Iterator, Sequence
from functools import lru_cache
from itertools import takewhile
from operator import itemgetter
from typing import AnyStr
from urllib.parse import quote_from_bytes, unquote_to_bytes, urlsplit

from .errors import UnusableInput
from .machines import is_elsewhere, is_machine_name, path_on
from .remote import is_address, is_remote, remote_path, remote_uri

PathBytes = bytes
"""A path as the system has it: bytes, since a name may be no text."""

_SERVER_STEPS = 3  # the scheme, nothing, and the host
FOLD_NAME = b".foldkeep"
"""Name of the folder at the top of a place in which folded files wait."""


def file_uri(path: bytes) -> str:
    """Return the ``file:`` URI (RFC 8089) of an absolute path, or the URI that a remote one has on its server.

    Every byte survives the way there and back. The URI of a path on another machine names that machine as its host.

    >>> file_uri(b"/kites/red \\xff.jpg")
    'file:///kites/red%20%FF.jpg'
    """
    if is_remote(path):
        return remote_uri(path)
    if is_elsewhere(path):
        return "file:" + quote_from_bytes(path, safe="/")
    folder, slash, name = path.rpartition(b"/")
    return "file://" + _quoted(folder) + slash.decode() + quote_from_bytes(name)


@lru_cache(1024)
def _quoted(folder: bytes) -> str:
    return quote_from_bytes(folder, safe="/")


def path_from_uri(uri: str, *, elsewhere: bool = False) -> bytes:
    """Return the absolute path that a ``file:`` URI of this machine, or the URI of a remote path, names.

    Parameters
    ----------
    elsewhere
        Take the URI of a path on another machine as well, and return that as `foldkeep.model.machines` has it.

    Raises
    ------
    ValueError
        If it is neither, names another host, or its path is relative or holds a NUL byte.
    """
    if uri.startswith("file:///") and "?" not in uri and "#" not in uri:
        path = unquote_to_bytes(uri[len("file://") :])  # as we write it, and ten times as fast
        if b"\0" not in path and not is_elsewhere(path):
            return path
    if is_address(uri):
        return _remote_path(uri)
    parts = urlsplit(uri)
    is_other = elsewhere and is_machine_name(parts.netloc) and parts.netloc != "localhost"
    if parts.scheme != "file" or not (is_other or parts.netloc in ("", "localhost")) or parts.query or parts.fragment:
        raise ValueError(f"not a file: URI of this machine: {uri!r}")
    path = unquote_to_bytes(parts.path)
    if not path.startswith(b"/") or is_elsewhere(path) or b"\0" in path:
        raise ValueError(f"not an absolute path: {uri!r}")
    return path_on(parts.netloc, path) if is_other else path


def _remote_path(uri: str) -> bytes:
    try:
        return remote_path(uri)
    except UnusableInput as error:
        raise ValueError(str(error)) from error


def common_folder(folders: Iterable[bytes]) -> bytes:
    """Return the deepest folder that has all of some, or is one of them; empty if this machine and servers share none.

    >>> common_folder([b"/kites/red", b"/kites/blue/1"])
    b'/kites'
    """
    steps = [folder.rstrip(b"/").split(b"/") for folder in folders]
    common = list(map(itemgetter(0), takewhile(lambda each: len(set(each)) == 1, zip(*steps, strict=False))))
    if common[:1] == [b""]:
        return b"/".join(common) or b"/"
    return b"/".join(common) if len(common) > _SERVER_STEPS - 1 else b""


class Fetched(str):
    """The name of a file of this machine that was brought from a server; people know it by its address there."""

    __slots__ = ("address",)
    address: str


def fetched_name(name: str, address: str) -> Fetched:
    """Return the name of a file that was brought from an address."""
    found = Fetched(name)
    found.address = address
    return found


def known_as(name: str) -> str:
    """Return what people know a file by: what was fetched, by its address."""
    return name.address if isinstance(name, Fetched) else name


def visible(name: bytes | str) -> str:
    r"""Return a name as one line of text that cannot act on a terminal; of what was fetched, its address.

    Bytes that are not UTF-8, control characters, line breaks and direction marks become escapes.

    >>> visible(b"two\nlines \xff \x1b[31m")
    'two\\nlines \\xff \\x1b[31m'
    """
    text = name.decode("utf-8", "backslashreplace") if isinstance(name, bytes) else known_as(name)
    if text.isprintable():
        return text
    return "".join(char if char.isprintable() else char.encode("unicode_escape").decode("ascii") for char in text)


def lies_below(path: bytes, folder: bytes) -> bool:
    """Tell whether an absolute path lies below a folder, at any depth; a folder does not lie below itself."""
    return path.startswith(folder.rstrip(b"/") + b"/")


def lies_in_a_fold(path: bytes) -> bool:
    """Tell whether a path lies in a fold, or is one: nothing there vouches for anything."""
    return FOLD_NAME in path.split(b"/")


def innermost(folders: Iterable[bytes], path: bytes, *, itself: bool = False) -> bytes | None:
    """Return the innermost of several folders that a path lies in, or None; with `itself`, also one that it is."""
    found = (folder for folder in folders if lies_below(path, folder) or (itself and path == folder))
    return max(found, key=len, default=None)


def folders_above(path: bytes) -> Iterator[bytes]:
    """Yield the folders above an absolute path, the nearest first and the root last."""
    while path not in (b"", b"/"):
        path = path.rpartition(b"/")[0] or b"/"
        yield path


def steps_alike(one: Sequence[AnyStr], other: Sequence[AnyStr]) -> int:
    """Return how many steps at their ends two paths have in common."""
    pairs = zip(reversed(one), reversed(other), strict=False)
    return sum(1 for _ in takewhile(lambda pair: pair[0] == pair[1], pairs))


def beside(name: bytes, number: int, longest: int = 255) -> bytes:
    """Return the `number`-th name to try beside a taken one; the first is the name itself.

    `longest` is how many bytes a name may have; the stem gives way, the suffix stays.

    >>> beside(b"march.flac", 2)
    b'march-2.flac'
    """
    if number == 1:
        return name
    stem, dot, suffix = name.rpartition(b".")
    if not stem:
        stem, dot, suffix = name, b"", b""
    tail = b"-%d" % number + dot + suffix
    return stem[: longest - len(tail)] + tail


def path_beside(path: bytes, number: int) -> bytes:
    """Return the `number`-th path to try where one is taken, in the same folder; the first is the path itself.

    >>> path_beside(b"/kites/march.flac", 2)
    b'/kites/march-2.flac'
    """
    folder, _, name = path.rpartition(b"/")
    return folder + b"/" + beside(name, number)


MOST_NAMES = 10_000
"""How many names are tried before it is said that none is free."""


def names_to_try(name: bytes, first: int = 1) -> Iterator[bytes]:
    """Yield a name and those to try beside it where it is taken, from the `first`-th on; they come to an end.

    >>> list(names_to_try(b"march.flac"))[:2]
    [b'march.flac', b'march-2.flac']
    """
    return (beside(name, number) for number in range(first, MOST_NAMES))
