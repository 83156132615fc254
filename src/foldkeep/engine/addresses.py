"""Which schedulers and workers may be asked: those of this computer, and those that prove who they are."""

import ipaddress
import socket
from urllib.parse import urlsplit

from foldkeep.model import UnusableInput, visible

TLS = "tls"
_ADVICE = "tls://HOST:PORT with certificates, or on this computer tcp://127.0.0.1:PORT"


def check_address(address: str) -> str:
    """Return the address of a scheduler as the engine takes it.

    Raises UnusableInput if anybody on the way could read or change what is said, or it is no address.
    """
    shown = visible(address)
    try:
        parts = urlsplit(address if "://" in address else f"tcp://{address}")
        host, port = parts.hostname or "", parts.port
    except ValueError:
        host, port = "", None
    if (
        not address.isprintable()
        or not host
        or not port
        or parts.path
        or parts.query
        or parts.fragment
        or parts.username is not None
    ):
        raise UnusableInput(f"{shown} is no address of a scheduler", f"say {_ADVICE}")
    if parts.scheme not in ("tcp", TLS):
        raise UnusableInput(f"a scheduler is not asked by {visible(parts.scheme)}://", f"say {_ADVICE}")
    if parts.scheme != TLS and not _is_this_computer(host):
        raise UnusableInput(f"anybody on the way could read and change what is said to {shown}", f"say {_ADVICE}")
    return f"{parts.scheme}://{parts.netloc}"


def is_guarded(address: str) -> bool:
    """Tell whether a scheduler or worker that says that it is at an address can be reached only from this computer, or
    only with certificates.
    """
    try:
        check_address(address)
    except UnusableInput:
        return False
    return True


def _is_this_computer(host: str) -> bool:
    try:
        found = {ipaddress.ip_address(str(each[4][0])) for each in socket.getaddrinfo(host, None)}
    except (OSError, UnicodeError, ValueError):
        return False
    return bool(found) and all(each.is_loopback for each in found)
