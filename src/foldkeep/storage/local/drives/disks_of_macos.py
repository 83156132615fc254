"""Which disk a volume of macOS is on, by what ``diskutil info -plist`` says of it."""

from collections.abc import Callable
from contextlib import suppress
from typing import Any

from foldkeep.model.disks import Disks

_NOT_PROVED = Disks(why="diskutil does not tell which disk it is on")


def disks_of_volume(path: bytes, ask: "Callable[[str], dict[str, Any]] | None" = None) -> Disks:
    """Return the disks of the volume of a file; `ask` gives what diskutil says of a path or device.

    The volumes of an APFS container are on its physical stores. An image, a set of disks, and what is not said to be
    physical are not known.
    """
    import os

    ask = ask or _told
    said = ask(os.fsdecode(path))
    stores = [each.get("APFSPhysicalStore", "") for each in said.get("APFSPhysicalStores", ())]
    parts = [ask(store) for store in stores] if stores else [said]
    disks = {part.get("ParentWholeDisk", "") for part in parts}
    whole = [ask(disk) for disk in sorted(disks)] if all(disks) else []
    if not whole or any(each.get("VirtualOrPhysical") != "Physical" or each.get("RAIDMaster") for each in whole):
        return _NOT_PROVED
    keys = {f"at:{each['DeviceTreePath']}" for each in whole if each.get("DeviceTreePath")}
    if len(keys) != len(whole):
        return _NOT_PROVED
    return Disks(frozenset(keys), name=" and ".join(str(each.get("MediaName", "a disk")) for each in whole))


def _told(word: str) -> dict[str, Any]:
    import plistlib
    import subprocess
    from xml.parsers.expat import ExpatError

    with suppress(OSError, subprocess.SubprocessError, ValueError, AttributeError, ExpatError):
        line = ["diskutil", "info", "-plist", word]
        said = plistlib.loads(subprocess.run(line, capture_output=True, timeout=10, check=True).stdout)
        return said if isinstance(said, dict) else {}
    return {}
