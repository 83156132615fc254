"""The key that a machine signs with: Ed25519 (RFC 8032), one for each stock, which never leaves its machine.

What others may know of it is a line as OpenSSH writes public keys, with the machine's name and number behind it.
"""

import os
import secrets
from contextlib import suppress
from typing import TYPE_CHECKING, NamedTuple

from foldkeep.model import UnusableInput, visible
from foldkeep.model.extras import need
from foldkeep.model.machines import Machine, is_machine_id, is_machine_name
from foldkeep.model.work import reason_of

if TYPE_CHECKING:
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

_KIND = "ssh-ed25519"
_RAW_BYTES = 32
_LONGEST = 4096


class PublicKey(NamedTuple):
    """What others know of a machine's key: 32 bytes, and whose it is."""

    machine: Machine
    key: bytes

    @property
    def line(self) -> str:
        """The line that is given to another machine."""
        need("fleet")
        from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey
        from cryptography.hazmat.primitives.serialization import Encoding, PublicFormat

        key = Ed25519PublicKey.from_public_bytes(self.key).public_bytes(Encoding.OpenSSH, PublicFormat.OpenSSH)
        return f"{key.decode()} {self.machine.name} {self.machine.id}"


def make_key(path: str) -> "Ed25519PrivateKey":
    """Return the private key at a path, which nobody else can read; a new one is made where there is none.

    Raises
    ------
    UnusableInput
        If it cannot be read or made, or is no such key.
    MissingExtra
        If the library for it is not installed.
    """
    need("fleet")
    from cryptography.exceptions import UnsupportedAlgorithm
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
    from cryptography.hazmat.primitives.serialization import (
        Encoding,
        NoEncryption,
        PrivateFormat,
        load_pem_private_key,
    )

    try:
        if not os.path.lexists(path):
            made = Ed25519PrivateKey.generate()
            _write_new(path, made.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, NoEncryption()))
        with os.fdopen(os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_CLOEXEC), "rb") as file:
            found = load_pem_private_key(file.read(_LONGEST), None)
        if not isinstance(found, Ed25519PrivateKey):
            raise ValueError("another kind of key")
        return found
    except OSError as error:
        raise UnusableInput(f"cannot use the key {visible(path)}: {reason_of(error)}", "mend that") from error
    except (ValueError, TypeError, UnsupportedAlgorithm) as error:
        advice = "take it away, and others must learn the new one"
        raise UnusableInput(f"{visible(path)} is no key of this machine", advice) from error


def _write_new(path: str, text: bytes) -> None:
    """Write a file that has its name once it is whole; one that another process made meanwhile stays."""
    new = f"{path}.{secrets.token_hex(4)}"
    descriptor = os.open(new, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC, 0o600)
    try:
        with os.fdopen(descriptor, "wb") as file:
            file.write(text)
            file.flush()
            os.fsync(file.fileno())
        with suppress(FileExistsError):
            os.link(new, path)
    finally:
        os.unlink(new)


def public_key(private: "Ed25519PrivateKey", machine: Machine) -> PublicKey:
    """Return what others may know of a machine's key."""
    return PublicKey(machine, private.public_key().public_bytes_raw())


def read_public_line(path: str) -> PublicKey:
    """Read the line of another machine's key from a file; raise UnusableInput if it is none."""
    need("fleet")
    from cryptography.exceptions import UnsupportedAlgorithm
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey
    from cryptography.hazmat.primitives.serialization import load_ssh_public_key

    from ..reading import opened_file

    try:
        with opened_file(path) as file:
            words = file.read(_LONGEST).decode("ascii").split()
        kind, key, name, id_ = words
        found = load_ssh_public_key(f"{kind} {key}".encode())
        if kind != _KIND or not isinstance(found, Ed25519PublicKey):
            raise ValueError("another kind of key")
        if not is_machine_name(name) or not is_machine_id(id_):
            raise ValueError("no machine")
        return PublicKey(Machine(id_, name), found.public_bytes_raw())
    except OSError as error:
        raise UnusableInput(f"cannot read {visible(path)}: {reason_of(error)}", "name another file") from error
    except (ValueError, TypeError, UnsupportedAlgorithm) as error:
        advice = "write one on the other machine: foldkeep vouch --machine-key > FILE"
        raise UnusableInput(f"{visible(path)} is no key of a machine", advice) from error


def is_signed(key: bytes, signature: bytes, text: bytes) -> bool:
    """Tell whether a text was signed with the private part of a key."""
    need("fleet")
    from cryptography.exceptions import InvalidSignature
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey

    if len(key) != _RAW_BYTES:
        return False
    try:
        Ed25519PublicKey.from_public_bytes(key).verify(signature, text)
    except InvalidSignature:
        return False
    return True
