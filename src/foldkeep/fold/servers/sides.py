"""Whether a program may keep two places alike, so that what goes from one goes from the other."""

import os
from collections.abc import Iterable
from dataclasses import dataclass, field
from functools import cached_property

from foldkeep.model import PathBytes, Place, UnusableInput, visible
from foldkeep.model.names import FOLD_NAME, folders_above, innermost, lies_below
from foldkeep.model.remote import SOMEBODY_ELSE, is_remote, side_of
from foldkeep.model.work import reason_of
from foldkeep.stock import Stock
from foldkeep.storage.local.reading import NotSafe
from foldkeep.storage.remote import remote_storage


@dataclass
class Sides:
    """Tells whether files in two places are surely two, by what the user said and by what is seen there."""

    stock: Stock
    _known: dict[tuple[PathBytes, PathBytes], bool] = field(default_factory=dict)
    _seen: dict[PathBytes, bool] = field(default_factory=dict)

    def apart(self, place: PathBytes, key: str, keepers: Iterable[PathBytes]) -> list[PathBytes]:
        """Return the keepers that are surely other files than those of a place of which a run's fold may appear.

        Raises NotSafe if there are some, but none of them is.
        """
        found: list[PathBytes] = []
        why = ""
        for path in keepers:
            try:
                self._check_mine(path)
                self.check_apart(place, path)
                self.check_fold_not_seen(place, key, path)
                found.append(path)
            except (NotSafe, OSError, UnusableInput) as error:
                why = reason_of(error)
        if why and not found:
            raise NotSafe(why)
        return found

    def _check_mine(self, path: PathBytes) -> None:
        """Raise NotSafe if a file on a server was, when scanned, somebody else's, who may delete it at any time."""
        known = self.stock.listing.at(path) if is_remote(path) else None
        if known is not None and known.owner == SOMEBODY_ELSE:
            raise NotSafe(f"its keeper belongs to somebody else: {visible(path)}")

    def check_apart(self, path: PathBytes, other: PathBytes) -> None:
        """Raise NotSafe if a file and another, of which one is to go, lie in places that may be kept alike."""
        if side_of(path) == side_of(other):
            return
        one, two = self._place_of(path), self._place_of(other)
        if one is None or two is None:
            raise NotSafe(f"{visible(other)} lies in no place, and a program may keep both alike")
        key = one.path, two.path
        if key not in self._known:
            self._known[key] = self.stock.places.are_separate(one, two)
        if not self._known[key]:
            raise NotSafe(
                f"a program may keep {one.label} and {two.label} alike; if none does: "
                f"foldkeep places --separate {one.label} {two.label}"
            )

    def check_fold_not_seen(self, place: PathBytes, key: str, other: PathBytes) -> None:
        """Raise NotSafe if the folder of a run, in the fold of `place`, appears on the side where another file lies.

        Then something does keep both alike, whatever the user said. Raises OSError if that side cannot be looked at.
        """
        if side_of(place) == side_of(other):
            return
        top = self._place_of(other)
        for above in folders_above(other):
            if top is not None and above != top.path and not lies_below(above, top.path):
                continue
            path = b"/".join((above, FOLD_NAME, os.fsencode(key)))
            if path not in self._seen:
                self._seen[path] = _is_there(path)
            if self._seen[path]:
                raise NotSafe(f"its fold appears beside its keeper, in {visible(above)}: a program keeps both alike")

    def _place_of(self, path: PathBytes) -> Place | None:
        top = innermost(self._places, path, itself=True)
        return None if top is None else self._places[top]

    @cached_property
    def _places(self) -> dict[PathBytes, Place]:
        return {place.path: place for place in self.stock.places.all()}


def _is_there(path: PathBytes) -> bool:
    if is_remote(path):
        return remote_storage(path).facts(path) is not None
    return os.path.lexists(path)
