"""Which files are meant, in the same words wherever files are listed."""

import re
from collections.abc import Callable
from dataclasses import dataclass
from fnmatch import translate

from .files import Role


@dataclass(frozen=True, slots=True)
class Filter:
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

    def __bool__(self) -> bool:
        return self != Filter()

    def takes_name(self) -> Callable[[bytes], bool]:
        """Return a function that tells whether a file's name fits `names` and `not_names`."""
        wanted = [re.compile(translate(glob), re.IGNORECASE) for glob in self.names]
        unwanted = [re.compile(translate(glob), re.IGNORECASE) for glob in self.not_names]

        def takes(name: bytes) -> bool:
            text = name.decode("utf-8", "surrogateescape")
            fits = not wanted or any(glob.match(text) for glob in wanted)
            return fits and not any(glob.match(text) for glob in unwanted)

        return takes
