"""Vouchers: what a machine says, signed, of files of its own that stay while copies of them go on another one."""

from typing import NamedTuple

from .machines import Machine
from .names import PathBytes

SECONDS = 24 * 3600
"""How long a voucher counts for folding."""

RELEASE_SECONDS = 3600
"""How long a number counts for which a machine vouches again, before anything is deleted."""

ASIDE_SECONDS = 600
"""By how much clocks of machines may differ."""

NUMBER_BYTES = 32
"""How long a number is that a release draws and another machine signs."""


class VouchedFile(NamedTuple):
    """A file that was read whole for a voucher.

    Attributes
    ----------
    path
        As its own machine knows it.
    inode, modified_ns
        By which one file that two machines see is told.
    proof
        BLAKE3 of its content with the voucher's number as the key: only who has the content can tell it, and only since
        the number is known. Empty without a number.
    """

    path: PathBytes
    size: int
    digest: bytes
    inode: int
    modified_ns: int
    proof: bytes = b""


class Voucher(NamedTuple):
    """What a machine says of its files.

    Attributes
    ----------
    docket
        Digest of the docket whose keepers they are.
    made_ns
        When, nanoseconds since the epoch, by that machine's clock.
    number
        That it was asked to sign, 32 bytes, drawn for one release; empty for folding.
    """

    machine: Machine
    docket: bytes
    made_ns: int
    number: bytes
    files: tuple[VouchedFile, ...]
