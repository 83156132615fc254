"""Which files are meant, in the same words wherever files are listed."""

import re
from collections.abc import Callable
from fnmatch import translate
from functools import lru_cache
from typing import NamedTuple

from .files import Role, StockFile
from .names import lies_below


class Filter(NamedTuple):
    """Conditions on files, all of which must hold; of a list of alternatives, one must.

    Attributes
    ----------
    kinds, roles, places
        Alternatives; places are given by label.
    under, not_under
        Absolute folders: the file lies in one, in none, at any depth.
    names, not_names
        Globs for the file's name without folders; letter case does not matter.
    larger_than, smaller_than
        Bytes, exclusive.
    modified_before_ns, modified_after_ns
        Nanoseconds since the epoch, exclusive.
    damaged
        Only what reading found something wrong with; the stock knows, `takes` does not.
    """

    kinds: tuple[str, ...] = ()
    roles: tuple[Role, ...] = ()
    places: tuple[str, ...] = ()
    under: tuple[bytes, ...] = ()
    not_under: tuple[bytes, ...] = ()
    names: tuple[str, ...] = ()
    not_names: tuple[str, ...] = ()
    larger_than: int | None = None
    smaller_than: int | None = None
    modified_before_ns: int | None = None
    modified_after_ns: int | None = None
    damaged: bool = False

    def __bool__(self) -> bool:
        return self != Filter()

    def takes_name(self) -> Callable[[bytes], bool]:
        """Return a function that tells whether a file's name fits `names` and `not_names`."""
        return _matcher(self.names, self.not_names)

    def takes(self, file: StockFile) -> bool:
        """Tell whether a file fits."""
        folder, _, name = file.path.rpartition(b"/")
        return (
            (not self.kinds or file.kind in self.kinds)
            and (not self.roles or file.place.role in self.roles)
            and (not self.places or file.place.label in self.places)
            and (not self.under or any(folder == top or lies_below(folder, top) for top in self.under))
            and not any(folder == top or lies_below(folder, top) for top in self.not_under)
            and (self.larger_than is None or file.size > self.larger_than)
            and (self.smaller_than is None or file.size < self.smaller_than)
            and (self.modified_before_ns is None or file.modified_ns < self.modified_before_ns)
            and (self.modified_after_ns is None or file.modified_ns > self.modified_after_ns)
            and self.takes_name()(name)
        )


@lru_cache
def _matcher(names: tuple[str, ...], not_names: tuple[str, ...]) -> Callable[[bytes], bool]:
    wanted = [re.compile(translate(glob), re.IGNORECASE) for glob in names]
    unwanted = [re.compile(translate(glob), re.IGNORECASE) for glob in not_names]

    def takes(name: bytes) -> bool:
        text = name.decode("utf-8", "surrogateescape")
        fits = not wanted or any(glob.match(text) for glob in wanted)
        return fits and not any(glob.match(text) for glob in unwanted)

    return takes
