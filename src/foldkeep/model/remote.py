"""Remote places: how their paths are written, and what a server says of what lies there.

A remote path is the address of a server with the raw path behind it, ``https://host/Kite photos/red.jpg`` as bytes: the
rules for local paths (what lies below what, the name at the end) hold for it as they are. Its URI has the path
percent-encoded (RFC 3986), and gives the same bytes back.
"""

from typing import NamedTuple
from urllib.parse import quote_from_bytes, unquote_to_bytes, urlsplit

from .errors import UnusableInput

_PORTS = {"https": 443, "http": 80, "sftp": 22}
_STARTS = tuple(f"{scheme}://".encode() for scheme in _PORTS)
SOMEBODY_ELSE = 2**32 - 2
"""The owner, as the stock has it, of what a server says is not mine: deleting it frees nothing that I pay for."""

_HERE = ("localhost", "127.0.0.1", "::1")


def is_remote(path: bytes) -> bool:
    """Tell whether a path lies in a remote place."""
    return path.startswith(_STARTS)


def is_address(word: str | bytes) -> bool:
    """Tell whether what somebody typed begins as the address of a server does."""
    start = word[:8].lower()
    return is_remote(start if isinstance(start, bytes) else start.encode("utf-8", "surrogateescape"))


def remote_path(address: str | bytes) -> bytes:
    """Return the path that an address means, as it was typed or written into a URI.

    The scheme and host in small letters, no port that goes without saying, every step decoded, no slash at the end.

    >>> remote_path("HTTPS://Windmere.example:443/Kite%20photos/")
    b'https://windmere.example/Kite photos'

    Raises
    ------
    UnusableInput
        If it names no host, holds a password, a question mark or a hash sign that is not encoded, a NUL, or steps
        that lead up.
    """
    text = address if isinstance(address, str) else address.decode("utf-8", "surrogateescape")
    try:
        parts = urlsplit(text)
        scheme, host, port = parts.scheme.lower(), parts.hostname or "", parts.port
    except ValueError as error:
        raise _unusable(text, "it is no address of a server") from error
    if scheme not in _PORTS or not host:
        raise _unusable(text, "it is no address of a server")
    if parts.password is not None:
        hint = "leave it out: it is asked for, or taken from .netrc or the keyring"
        raise UnusableInput("a password does not belong into an address", hint)
    if parts.query or parts.fragment or text.rstrip().endswith(("?", "#")):
        raise _unusable(text, "it holds ? or #; write %3F or %23")
    try:
        name = f"[{host}]" if ":" in host else host.encode("idna").decode()
    except UnicodeError as error:
        raise _unusable(text, "its host is no name of one") from error
    if not (parts.username or "").isascii():
        raise _unusable(text, "its user is not written in plain letters")
    user = f"{parts.username}@" if parts.username else ""
    root = f"{scheme}://{user}{name}" + (f":{port}" if port and port != _PORTS[scheme] else "")
    steps = [step for step in parts.path.encode("utf-8", "surrogateescape").split(b"/") if step]
    decoded = [unquote_to_bytes(step) for step in steps]
    if any(not is_step(step) for step in decoded):
        raise _unusable(text, "a step of it leads up, or is no name")
    return b"/".join([root.encode("utf-8", "surrogateescape"), *decoded])


def is_step(name: bytes) -> bool:
    """Tell whether a name can be one step of a path: not empty, no dots that lead elsewhere, no slash, no NUL."""
    return name not in (b"", b".", b"..") and not {0, ord("/")}.intersection(name)


def _unusable(text: str, why: str) -> UnusableInput:
    from .names import visible

    return UnusableInput(f"cannot use {visible(text)}: {why}", "write https://HOST/FOLDER or sftp://HOST/FOLDER")


def server_of(path: bytes) -> bytes:
    """Return the address of the server of a remote path, without a slash at its end."""
    scheme, _, rest = path.partition(b"://")
    return scheme + b"://" + rest.partition(b"/")[0]


def side_of(path: bytes) -> bytes:
    """Return the address of the server that a path lies on; empty for this machine."""
    return server_of(path) if is_remote(path) else b""


def path_on_server(path: bytes) -> bytes:
    """Return a remote path as its server has it, with a slash at its beginning."""
    return path[len(server_of(path)) :] or b"/"


def scheme_of(path: bytes) -> str:
    """Return the scheme of a remote path: ``https``, ``http`` or ``sftp``."""
    return path.partition(b"://")[0].decode()


def host_of(path: bytes) -> tuple[str, str, int]:
    """Return the user, who may be empty, the host and the port of the server of a remote path."""
    parts = urlsplit(server_of(path).decode("utf-8", "surrogateescape"))
    return parts.username or "", parts.hostname or "", parts.port or _PORTS[parts.scheme]


def is_this_machine(path: bytes) -> bool:
    """Tell whether the server of a remote path is named as this machine itself."""
    return host_of(path)[1] in _HERE


def remote_uri(path: bytes) -> str:
    """Return the URI of a remote path; every byte survives the way there and back."""
    server = server_of(path)
    return server.decode("utf-8", "surrogateescape") + quote_from_bytes(path_on_server(path), safe="/")


class RemoteFile(NamedTuple):
    """A file or folder as its server tells of it.

    Attributes
    ----------
    size
        Bytes; of a folder 0.
    modified_ns
        Nanoseconds since the epoch; most servers know whole seconds.
    etag
        The strong entity tag (RFC 9110) as the server writes it, by which a content is told from another; empty if
        there is none.
    is_mine
        False for what the server says belongs to somebody else.
    """

    name: bytes
    size: int = 0
    modified_ns: int = 0
    etag: str = ""
    is_folder: bool = False
    is_mine: bool = True


class Quota(NamedTuple):
    """Space on a server: bytes that are taken, and bytes that may be added; None for what it does not tell."""

    used: int | None
    available: int | None


class Part(NamedTuple):
    """Some bytes of a remote file, with what the answer said of all of it.

    Attributes
    ----------
    stated
        The algorithm and digest of the whole content that the server states (RFC 9530), as ``sha-256:<hex>``; empty
        if it states none. It is the server's word, nothing more.
    """

    data: bytes
    etag: str = ""
    stated: str = ""
