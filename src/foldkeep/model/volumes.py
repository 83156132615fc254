"""Volumes, and what each can do, as data."""

from enum import StrEnum
from typing import Any, NamedTuple, Self

from .disks import NEVER_KNOWN, Disks

SPECIAL = '*:?"<>|\\'
"""Characters in names that Windows has a use for."""

_RESERVED = frozenset(
    ["con", "prn", "aux", "nul", *(f"{port}{number}" for port in ("com", "lpt") for number in range(1, 10))]
)
_MOST_UNITS = 255  # UTF-16 code units that FAT, exFAT and NTFS have for a name


class Way(StrEnum):
    """Ways to change a name on a volume so that nothing is overwritten."""

    RENAME = "a rename that refuses"
    LINK = "hard links"
    CLAIM = "claims"


class Limits(NamedTuple):
    """Limits of a volume on names and files, as tried out; by default those of ext4.

    Attributes
    ----------
    special, trailing, reserved, undecodable
        Whether it takes characters that Windows has a use for, a dot or space at the end, names of devices such as
        ``con``, and bytes that are no UTF-8.
    in_units
        Whether a name may have 255 UTF-16 units, in place of 255 bytes.
    has_case
        Whether it tells capitals from small letters.
    keeps_forms
        Whether a name comes back in the Unicode normal form that it was given in.
    largest
        Bytes of the largest file; 0 if that is not limited.
    """

    special: bool = True
    trailing: bool = True
    reserved: bool = True
    undecodable: bool = True
    in_units: bool = False
    has_case: bool = True
    keeps_forms: bool = True
    largest: int = 0

    def refusal(self, name: bytes) -> str:
        """Return why a name cannot be there; empty if it can."""
        try:
            text = name.decode()
        except UnicodeDecodeError:
            return "" if self.undecodable else "it is not UTF-8"
        if not self.special and any(char in SPECIAL or char < " " for char in text):
            return f"it has one of {SPECIAL} in it"
        if not self.trailing and text[-1:] in (".", " "):
            return "it ends with a dot or a space"
        if not self.reserved and text.partition(".")[0].lower() in _RESERVED:
            return "it is that of a device"
        if self.in_units and len(text.encode("utf-16-le")) > 2 * _MOST_UNITS:
            return f"it is longer than {_MOST_UNITS} UTF-16 units"
        return ""

    @property
    def has_plain_names(self) -> bool:
        """Whether it takes only names without special characters, ends and words."""
        return not (self.special and self.trailing and self.reserved)


class Capabilities(NamedTuple):
    """Abilities of a volume, as tried out in a folder of our own.

    Attributes
    ----------
    way
        How names change there.
    links
        Whether a file can have several names, which are told to be one file.
    clones
        Whether two files can share their blocks until one is written to (reflinks).
    keeps_inodes
        Whether inode numbers are the same after the volume was away, as far as its kind tells.
    tick_ns
        To how many nanoseconds it keeps times of modification.
    shifts_times
        Whether it keeps local time, so that all times move when the clocks change or the drive travels (FAT).
    """

    way: Way = Way.RENAME
    links: bool = True
    clones: bool = False
    keeps_inodes: bool = True
    tick_ns: int = 1
    shifts_times: bool = False
    limits: Limits = Limits()

    def known(self) -> dict[str, Any]:
        """Return it as plain values, which `from_known` takes."""
        return {**self._asdict(), "limits": self.limits._asdict()}

    @classmethod
    def from_known(cls, known: dict[str, Any]) -> Self:
        """Return what `known` gave."""
        rest = {name: value for name, value in known.items() if name not in ("way", "limits")}
        return cls(way=Way(known["way"]), limits=Limits(**known["limits"]), **rest)


class Volume(NamedTuple):
    """A file system that places lie on.

    Attributes
    ----------
    key
        What tells it from others: its UUID where the system gives one.
    name
        What a person knows it by: the device or share, and where it was mounted.
    capabilities
        What it can do; None before a place on it was first folded or marked.
    disks
        The disks that it was on when it was scanned last.
    """

    id: int
    key: str
    name: str
    capabilities: Capabilities | None = None
    disks: Disks = NEVER_KNOWN

    @property
    def is_lasting(self) -> bool:
        """Whether the key is the same when the volume comes back, wherever that is."""
        return is_lasting_key(self.key)


class VolumeFacts(NamedTuple):
    """Facts of the volume that a folder lies on.

    Attributes
    ----------
    key
        ``uuid:…`` where the system gives one; ``share:…`` for a server's share; else ``device:…``, which
        need not be the same after the machine has started anew.
    name
        What a person knows it by: the device or share, and where it is mounted.
    mount
        Where it is mounted.
    """

    key: str
    name: str
    mount: bytes = b"/"

    @property
    def is_lasting(self) -> bool:
        """Whether the key is the same when the volume comes back, wherever that is."""
        return is_lasting_key(self.key)


def is_lasting_key(key: str) -> bool:
    """Tell whether the key of a volume is the same when it comes back, wherever that is."""
    return key.startswith(("uuid:", "share:"))
