"""What a volume cannot hold: names that it refuses, names that it takes for one, files that are too large for it."""

import os
from contextlib import suppress
from dataclasses import dataclass

from .folders import keeping_times, take_away
from .opening import FOLDER
from .volumes import largest_file, takes_all_names

_SPECIAL = '*:?"<>|\\'
_RESERVED = frozenset(
    ["con", "prn", "aux", "nul", *(f"{port}{number}" for port in ("com", "lpt") for number in range(1, 10))]
)
_MOST_UNITS = 255  # UTF-16 code units that FAT, exFAT and NTFS have for a name
_PROBE = b".foldkeep-probe"


@dataclass(frozen=True, slots=True)
class Limits:
    """What names and files a volume takes, as far as that was tried out; by default all that ext4 takes.

    Attributes
    ----------
    special, trailing, reserved, undecodable
        Whether it takes characters that Windows has a use for, a dot or space at the end, names of devices such as
        ``con``, and bytes that are no UTF-8.
    in_units
        Whether a name may have 255 UTF-16 units, in place of 255 bytes.
    has_case
        Whether it tells capitals from small letters.
    largest
        Bytes of the largest file; 0 if that is not limited.
    """

    special: bool = True
    trailing: bool = True
    reserved: bool = True
    undecodable: bool = True
    in_units: bool = False
    has_case: bool = True
    largest: int = 0

    def refusal(self, name: bytes) -> str:
        """Return why a name cannot be there; empty if it can."""
        try:
            text = name.decode()
        except UnicodeDecodeError:
            return "" if self.undecodable else "it is not UTF-8"
        if not self.special and any(char in _SPECIAL or char < " " for char in text):
            return f"it has one of {_SPECIAL} in it"
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


def limits_of(folder: bytes) -> Limits:
    """Try out in a folder of our own, which goes again, what names a volume takes, unless it is known to take all.

    Where nothing can be written nothing is limited: that is said elsewhere.
    """
    device = os.stat(folder).st_dev
    if takes_all_names(folder, device):
        return Limits()
    largest = largest_file(folder, device)
    probe = os.path.join(folder, _PROBE)
    try:
        top = os.open(folder, FOLDER & ~os.O_NOFOLLOW)
    except OSError:
        return Limits(largest=largest)
    try:
        with keeping_times(top):
            return _tried_out(probe, largest)
    finally:
        os.close(top)


def _tried_out(probe: bytes, largest: int) -> Limits:
    try:
        if os.path.lexists(probe):  # of one that was killed
            take_away(probe)
        os.mkdir(probe, 0o700)
    except OSError:
        return Limits(largest=largest)
    try:
        return Limits(
            special=all(_takes(probe, b"a" + char.encode() + b"b") for char in _SPECIAL),
            trailing=_takes(probe, b"a.") and _takes(probe, b"a "),
            reserved=_takes(probe, b"con") and _takes(probe, b"lpt1.txt"),
            undecodable=_takes(probe, b"a\xff"),
            in_units=_takes(probe, "ü".encode() * 200),
            has_case=_takes(probe, b"case") and not os.path.lexists(os.path.join(probe, b"CASE")),
            largest=largest,
        )
    finally:
        take_away(probe)


def _takes(folder: bytes, name: bytes) -> bool:
    """Tell whether a file can be made under a name, and has just that."""
    with suppress(OSError):
        os.close(os.open(os.path.join(folder, name), os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600))
        return name in os.listdir(folder)
    return False
