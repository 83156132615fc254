"""Owners, extended attributes and access control lists of files."""

import os
from collections.abc import Iterable, Iterator
from contextlib import suppress
from functools import cache

_SPECIAL = (b"security.", b"trusted.")
_MOST_BYTES = 256 * 1024


def attributes_of(descriptor: int) -> tuple[tuple[bytes, bytes], ...] | None:
    """Return the extended attributes of an open file, access control lists among them, in order of their names.

    None if they are too many to keep, or one of them cannot be read. Where a system has none, or none that Python can
    ask for, there are none.
    """
    if not hasattr(os, "listxattr"):
        return ()
    try:
        names = sorted(map(os.fsencode, os.listxattr(descriptor)))
    except OSError:
        return ()
    try:
        found = tuple((name, os.getxattr(descriptor, name)) for name in names)
    except OSError:
        return None
    return found if sum(len(name) + len(value) for name, value in found) <= _MOST_BYTES else None


def is_special(attribute: bytes) -> bool:
    """Tell whether an attribute gives rights, or is one that only the system writes."""
    return attribute.startswith(_SPECIAL)


def give_attributes(descriptor: int, attributes: Iterable[tuple[bytes, bytes]]) -> Iterator[bytes]:
    """Give an open file extended attributes; yield the names of those that it could not be given."""
    for name, value in attributes:
        try:
            os.setxattr(descriptor, name, value)
        except (OSError, AttributeError):
            yield name


def give_owner(descriptor: int, user: int, group: int) -> bool:
    """Give an open file its owner and group; tell whether it has them now."""
    facts = os.fstat(descriptor)
    if (facts.st_uid, facts.st_gid) == (user, group):
        return True
    with suppress(OSError):
        os.fchown(descriptor, user, group)
        return True
    with suppress(OSError):  # whoever is no superuser can still give a file to another group of theirs
        os.fchown(descriptor, -1, group)
    return False


def owner_here(user: int, group: int, user_name: str, group_name: str) -> tuple[int, int]:
    """Return the numbers that an owner and group have here: by their names if there are such, else as they were."""
    with suppress(ImportError, KeyError, ValueError):
        import pwd

        user = pwd.getpwnam(user_name).pw_uid
    with suppress(ImportError, KeyError, ValueError):
        import grp

        group = grp.getgrnam(group_name).gr_gid
    return user, group


@cache
def owner_names(user: int, group: int) -> tuple[str, str]:
    """Return the names of an owner and a group; empty for one that has none."""
    names = ["", ""]
    with suppress(ImportError, KeyError, OverflowError):
        import pwd

        names[0] = pwd.getpwuid(user).pw_name
    with suppress(ImportError, KeyError, OverflowError):
        import grp

        names[1] = grp.getgrgid(group).gr_name
    return names[0], names[1]
