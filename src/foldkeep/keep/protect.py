"""What must not go, as a person names it: folders, files, names like a glob, roles and places."""

import os
import re
from collections.abc import Callable, Sequence
from fnmatch import translate
from typing import NamedTuple

from foldkeep.model import Role, StockFile, UnusableInput, visible
from foldkeep.model.names import lies_below
from foldkeep.model.remote import is_remote

from .rules import real_folder

PROTECTED = "protected: "
"""Begins the reason of a file that stays since somebody said so."""

_GLOB = re.compile(r"[*?\[]")


class Protection(NamedTuple):
    """Reason that protects files.

    Attributes
    ----------
    reason
        What is said of a file that it protects.
    """

    reason: str
    takes: Callable[[StockFile], bool]


def parse_protection(text: str) -> Protection:
    """Return what a person protects with one word.

    ``role:ROLE``, ``place:LABEL``, a folder or a file that is there, or a glob for names; a glob with a slash
    is for whole paths.

    Raises
    ------
    UnusableInput
        If it is none of these.
    """
    reason = f"{PROTECTED}{visible(text)}"
    kind, _, value = text.partition(":")
    if kind == "role" and value in tuple(Role):
        return Protection(reason, lambda file: file.place.role == value)
    if kind == "place" and value:
        return Protection(reason, lambda file: file.place.label == value)
    path = real_folder(text)
    if is_remote(path) or os.path.lexists(path):  # of what is on a server, its address is enough
        return Protection(reason, lambda file: file.path == path or lies_below(file.path, path))
    if not _GLOB.search(text):
        raise UnusableInput(
            f"nothing is called {visible(text)}, so it cannot be protected",
            "name a folder, a file, a glob like '*.arw', role:ROLE or place:LABEL",
        )
    takes = re.compile(translate(os.path.expanduser(text)), re.IGNORECASE).match
    if "/" in text:
        return Protection(reason, lambda file: takes(os.fsdecode(file.path)) is not None)
    return Protection(reason, lambda file: takes(os.fsdecode(os.path.basename(file.path))) is not None)


def protected_by(protections: Sequence[Protection], file: StockFile) -> str:
    """Return why a file must not go, or ``""``."""
    return next((each.reason for each in protections if each.takes(file)), "")
