"""Faces of rooms that open only as far as they are asked: a command imports what it uses, and nothing beside it.

What a face names stands in its ``__init__.py`` as imports under ``if TYPE_CHECKING:``, for people, for mypy and for the
linter of layers. `names_of` reads them there, so that they are said once.
"""

import re
import sys
from collections.abc import Callable
from importlib import import_module
from typing import Any

# Parsed by hand, since to import the parser of the language takes longer than a command may take to start.
_IMPORT = re.compile(r"^    from (\S+) import (?:\(([^)]*)\)|(.*))$", re.MULTILINE)


def names_of(package: str, file: str) -> Callable[[str], Any]:
    """Return the ``__getattr__`` (PEP 562) of a package that imports a name of its face when it is first asked for.

    Parameters
    ----------
    package, file
        ``__name__`` and ``__file__`` of the package.
    """
    homes: dict[str, tuple[str, str]] = {}

    def find(name: str) -> Any:
        if not homes:
            homes.update(_homes(file))
        if name not in homes:
            raise AttributeError(f"module {package!r} has no attribute {name!r}")
        module, original = homes[name]
        is_module = not module.strip(".")
        found = import_module(module + original if is_module else module, package)
        value = found if is_module else getattr(found, original)
        setattr(sys.modules[package], name, value)
        return value

    return find


def _homes(file: str) -> dict[str, tuple[str, str]]:
    """Return where each name of a face comes from: the module, relative to the package, and its name there."""
    with open(file, encoding="utf-8") as source:
        guarded = source.read().partition("\nif TYPE_CHECKING:\n")[2]
    homes = {}
    for module, in_brackets, alone in _IMPORT.findall(guarded):
        for name in (in_brackets or alone).replace("\n", " ").split(","):
            original, _, alias = name.strip().partition(" as ")
            if original:
                homes[alias or original] = (module, original)
    return homes
