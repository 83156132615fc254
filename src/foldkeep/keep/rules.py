"""The rules that choose which copy of a set stays, in words that a person would use."""

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from foldkeep.model import StockFile


@dataclass(frozen=True, slots=True)
class Rule:
    """One reason to prefer some copies of a set to others.

    Attributes
    ----------
    key
        Gives a value to compare copies by; the copies with the least value stay in question.
    kept, spared
        What is said of the copy that this rule decided for, and of one that it decided against.
    """

    key: Callable[[StockFile], Any]
    kept: str
    spared: str

    def narrow(self, copies: Sequence[StockFile]) -> list[StockFile]:
        """Return the copies that this rule prefers: at least one, perhaps all."""
        keys = [self.key(copy) for copy in copies]
        least = min(keys)
        return [copy for copy, key in zip(copies, keys, strict=True) if key == least]


_COPY_WORD = r"(?:copy|kopie|copie|copia)"
_LOOKS_LIKE_A_COPY = re.compile(
    rf"""
      {_COPY_WORD} (?:\ \(\d+\))? \ (?:of|von|de|di)\ .*  # "Copy of kite", "Copy (2) of kite"
    | .+ [\ _-]+ {_COPY_WORD} [\ _-]* (?:\d+|\(\d+\))?    # "kite copy", "kite - Copy (2)", "kite_copy3"
    | .* [^\ ] \ ?\(\d{{1,3}}\)                           # "kite (1)", "kite(1)"
    """,
    re.VERBOSE | re.IGNORECASE | re.DOTALL,
)


def looks_like_a_copy(name: bytes) -> bool:
    """Tell whether a file name has the marks that file managers and browsers give to copies."""
    stem = name.rpartition(b".")[0] or name
    return _LOOKS_LIKE_A_COPY.fullmatch(stem.decode("utf-8", "replace")) is not None


DEFAULT_RULES = (
    Rule(
        lambda copy: looks_like_a_copy(copy.path.rpartition(b"/")[2]),
        "its name does not look like a copy's",
        "its name looks like a copy's",
    ),
    Rule(lambda copy: copy.modified_ns, "oldest", "newer than the keeper"),
    Rule(lambda copy: len(copy.path), "shortest path", "longer path than the keeper's"),
    Rule(lambda copy: copy.path, "first by name", "later by name than the keeper"),
)
"""In this order; the last one always decides, and the same way for every pair of folders."""
