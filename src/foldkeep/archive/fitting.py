"""Names that a volume can have, for those that it cannot."""

import os

from foldkeep.formats.packages import bagit
from foldkeep.model import PathBytes
from foldkeep.model.names import beside
from foldkeep.model.volumes import Limits

from .packing import plain_for_all, short_enough

_LONGEST = 120  # characters: however many units and bytes each takes, 255 of them are enough


class FittingNames:
    """Gives each step of a path that a volume cannot have a name of its own, the same one each time.

    Attributes
    ----------
    changed
        How many steps got another name.
    """

    def __init__(self, limits: Limits) -> None:
        self._limits = limits
        self._names: dict[tuple[PathBytes, bytes], bytes] = {}
        self._taken: dict[PathBytes, set[str]] = {}
        self.changed = 0

    def of(self, path: PathBytes) -> PathBytes:
        """Return the path under which a file of a package is brought back."""
        if self._limits == Limits(largest=self._limits.largest):
            return path
        where = b""
        for step in path.split(b"/"):
            where = os.path.join(where, self._named(where, step))
        return where

    def _named(self, where: PathBytes, step: bytes) -> bytes:
        key = (where, step)
        if key not in self._names:
            wanted = step
            if self._limits.refusal(step):
                wanted = os.fsencode(short_enough(plain_for_all(bagit.plain_name(step)), step, _LONGEST))
            taken, number = self._taken.setdefault(where, set()), 1
            while (same := self._same(name := beside(wanted, number))) in taken:
                number += 1
            taken.add(same)
            self._names[key] = name
            self.changed += name != step
        return self._names[key]

    def _same(self, name: bytes) -> str:
        """Return what two names have in common that the volume takes for one."""
        text = os.fsdecode(name)
        return text if self._limits.has_case else bagit.same_name(text)
