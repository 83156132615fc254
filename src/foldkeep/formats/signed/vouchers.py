"""Vouchers as files: JSON Lines, the last of which signs all before it (docs/formats.md)."""

import base64
import json
import os
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from foldkeep.model import UnusableInput, visible
from foldkeep.model.files import format_digest, parse_digest
from foldkeep.model.machines import Machine
from foldkeep.model.names import file_uri, path_from_uri
from foldkeep.model.units import format_moment, parse_moment
from foldkeep.model.vouchers import NUMBER_BYTES, VouchedFile, Voucher
from foldkeep.model.work import reason_of

from ..own import new_file
from ..reading import read_whole
from .keys import is_signed

if TYPE_CHECKING:
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

_FORMAT, _VERSION = "foldkeep voucher", 1


def write_voucher(path: str, voucher: Voucher, key: "Ed25519PrivateKey") -> str:
    """Write a signed voucher and return where: `path`, or a free name beside it if that one is taken.

    Raises UnusableInput if it cannot be written.
    """
    head = {
        "format": _FORMAT, "version": _VERSION, "machine": voucher.machine._asdict(),
        "docket": format_digest(voucher.docket), "made": format_moment(voucher.made_ns),
        "number": voucher.number.hex(),
    }  # fmt: skip
    lines = [head, *map(_entry, voucher.files)]
    text = b"".join(json.dumps(line, separators=(",", ":")).encode() + b"\n" for line in lines)
    signature = base64.b64encode(key.sign(text)).decode()
    with new_file(path) as (target, stream):
        stream.write(text + json.dumps({"signature": signature}).encode() + b"\n")
        stream.flush()
        os.fsync(stream.fileno())
    return target


def read_voucher(path: str, key_of: Callable[[str], bytes | None]) -> Voucher:
    """Read a voucher that one of the machines signed whose keys are known.

    Parameters
    ----------
    key_of
        Returns the key of a machine by its number; None if it is not known.

    Raises
    ------
    UnusableInput
        If it is none, not whole, or not signed by such a machine.
    """
    try:
        text = read_whole(path)
    except OSError as error:
        raise UnusableInput(f"cannot read {visible(path)}: {reason_of(error)}", "name another file") from error
    except ValueError as error:
        raise _refused(path, str(error)) from error
    signed, _, last = text.removesuffix(b"\n").rpartition(b"\n")
    signed += b"\n"
    try:
        first, *rest = map(json.loads, signed.splitlines())
        if first["format"] != _FORMAT or first["version"] != _VERSION:
            raise ValueError("another format")
        machine = Machine(str(first["machine"]["id"]), str(first["machine"]["name"]))
        key = key_of(machine.id)
        if key is None:
            raise UnusableInput(
                f"{visible(path)} is signed by a machine whose key is not known: {visible(machine.name)}",
                "learn it: foldkeep vouch --learn-key FILE",
            )
        if not is_signed(key, base64.b64decode(str(json.loads(last)["signature"]), validate=True), signed):
            raise _refused(path, "it was changed after it was signed")
        number = bytes.fromhex(first["number"])
        if len(number) not in (0, NUMBER_BYTES):
            raise ValueError("no number")
        files = tuple(map(_file, rest))
        return Voucher(machine, parse_digest(first["docket"]), parse_moment(first["made"]), number, files)
    except (ValueError, KeyError, TypeError, AttributeError, OverflowError, RecursionError) as error:
        raise _refused(path, "it is none, or was cut short") from error


def _refused(path: str, why: str) -> UnusableInput:
    return UnusableInput(f"{visible(path)} vouches for nothing: {why}", "have its machine vouch again")


def _entry(file: VouchedFile) -> dict[str, Any]:
    return {
        "uri": file_uri(file.path), "size": file.size, "digest": format_digest(file.digest), "inode": file.inode,
        "modified_ns": file.modified_ns, "proof": file.proof.hex(),
    }  # fmt: skip


def _file(entry: dict[str, Any]) -> VouchedFile:
    size, inode, modified_ns = (entry[name] for name in ("size", "inode", "modified_ns"))
    if not all(type(each) is int for each in (size, inode, modified_ns)) or size < 0:
        raise ValueError("no number")
    proof = bytes.fromhex(entry["proof"])
    return VouchedFile(path_from_uri(entry["uri"]), size, parse_digest(entry["digest"]), inode, modified_ns, proof)
