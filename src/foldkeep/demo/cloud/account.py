"""What a user of the cloud has: files, a bin, a quota.

Space that is deleted stays taken for 30 days, in the bin, as in many clouds.
"""

import os
import secrets
import shutil
import time
from dataclasses import dataclass

BIN_SECONDS = 30 * 86_400


@dataclass(frozen=True, slots=True)
class Account:
    """What a user of the cloud has.

    Attributes
    ----------
    files, bin
        The folders on the disk that hold what is there, and what was deleted.
    quota
        Bytes that both may take; None for no limit.
    shared
        Steps of the folder that somebody else shares; empty for none.
    """

    files: str
    bin: str
    quota: int | None = None
    shared: str = ""

    def used(self) -> int:
        """Return the bytes that count against the quota: all but what somebody else shares."""
        self._forget_old()
        skipped = os.path.join(self.files, self.shared) if self.shared else ""
        return _bytes_below(self.files, skipped) + _bytes_below(self.bin)

    def available(self) -> int:
        """Return the bytes that may be added."""
        limit = shutil.disk_usage(self.files).free
        return limit if self.quota is None else max(0, min(limit, self.quota - self.used()))

    def throw_away(self, path: str) -> None:
        """Move a file or folder into the bin."""
        os.rename(path, os.path.join(self.bin, f"{int(time.time())}-{secrets.token_hex(4)}"))

    def empty_bin(self) -> None:
        """Delete what is in the bin, as its owner does on the cloud's own pages."""
        for name in os.listdir(self.bin):
            _delete(os.path.join(self.bin, name))

    def _forget_old(self) -> None:
        for name in os.listdir(self.bin):
            if time.time() - int(name.partition("-")[0]) > BIN_SECONDS:
                _delete(os.path.join(self.bin, name))

    def is_shared(self, path: str) -> bool:
        """Tell whether a path on the server lies in what somebody else shares."""
        top = f"/{self.shared}"
        return bool(self.shared) and (path == top or path.startswith(f"{top}/"))


def _bytes_below(folder: str, skipped: str = "") -> int:
    total = 0
    for here, folders, names in os.walk(folder):
        folders[:] = [name for name in folders if os.path.join(here, name) != skipped]
        total += sum(os.path.getsize(os.path.join(here, name)) for name in names)
    return total


def _delete(path: str) -> None:
    if os.path.isdir(path):
        shutil.rmtree(path)
    else:
        os.unlink(path)
