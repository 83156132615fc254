"""Names and passwords for servers: from .netrc, the desktop's keyring, or whoever sits at the terminal.

They are never written anywhere by Fold Keep, and a `Login` does not show its password.
"""

import netrc
import os
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field

from foldkeep.model import PathBytes, UnusableInput, visible
from foldkeep.model.remote import host_of, server_of


@dataclass(frozen=True, slots=True)
class Login:
    """Name and password for a server."""

    user: str
    password: str = field(repr=False)


Ask = Callable[[str, str], Login | None]
"""Asks a person for the login of a server, given the server's address and a user who may be empty."""


def _nobody(server: str, user: str) -> Login | None:  # noqa: ARG001 - one form for all that are asked
    return None


class Credentials:
    """Finds the login of each server once.

    Parameters
    ----------
    ask
        Asks a person; nobody is asked by default.
    """

    def __init__(self, ask: Ask = _nobody) -> None:
        self._ask = ask
        self._known: dict[bytes, Login | None] = {}

    def of(self, path: PathBytes) -> Login | None:
        """Return the login for the server of a path from where it is kept; None if it is kept nowhere."""
        server = server_of(path)
        if server not in self._known:
            user, host, _ = host_of(path)
            self._known[server] = _from_netrc(host, user) or _from_keyring(host, user)
        return self._known[server]

    def asked(self, path: PathBytes) -> Login | None:
        """Ask a person for the login of a server and return it; None if nobody answers."""
        server = server_of(path)
        self._known[server] = self._ask(visible(server), host_of(path)[0])
        return self._known[server]


def _from_netrc(host: str, user: str) -> Login | None:
    """Return the entry of a host in the file that NETRC names, or .netrc; what cannot be read whole is told."""
    path = os.environ.get("NETRC") or os.path.expanduser("~/.netrc")
    try:
        found = netrc.netrc(path).hosts.get(host)
    except (FileNotFoundError, NotADirectoryError):
        return None
    except (OSError, UnicodeDecodeError, netrc.NetrcParseError) as error:
        # The error may quote what stands in the file.
        raise UnusableInput(f"cannot read {visible(path)}: {type(error).__name__}", "see to it, or move it") from None
    if not found or not found[2] or (user and found[0] != user):
        return None
    return Login(found[0], found[2])


def _from_keyring(host: str, user: str) -> Login | None:
    """Return what the desktop's keyring holds for a host; None without a keyring, or where it is locked."""
    with suppress(Exception):  # each desktop's keyring fails in its own way
        import keyring

        found = keyring.get_credential(host, user or None)
        if found is not None and found.password:
            return Login(found.username or user, found.password)
    return None
