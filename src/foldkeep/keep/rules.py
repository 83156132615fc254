"""The rules that choose which copy of a set stays, in words that a person would use."""

import os
from collections.abc import Callable, Mapping, Sequence
from typing import Any, NamedTuple

from foldkeep.model import StockFile, UnusableInput, visible
from foldkeep.model.names import lies_below
from foldkeep.model.remote import is_remote
from foldkeep.model.spelling import nearest
from foldkeep.stock import Stock
from foldkeep.storage.local.drives import real_path

from .companions import Companions
from .folder_rules import copied_words, dumps, look_copied, nameless


class Rule(NamedTuple):
    """One reason to prefer some copies of a set to others.

    Attributes
    ----------
    word
        As a user writes it: ``oldest``, ``under:/masters``.
    keys
        Gives a value for each copy; the copies with the least value stay in question.
    kept, spared
        What is said of the copy that this rule decided for, and of one that it decided against.
    against
        Gives for each copy what is said if the rule decides against it, where that is not the same for all.
    """

    word: str
    keys: Callable[[Sequence[StockFile]], Sequence[Any]]
    kept: str
    spared: str
    against: Callable[[Sequence[StockFile]], Sequence[str]] | None = None

    def narrow(self, copies: Sequence[StockFile]) -> list[StockFile]:
        """Return the copies that this rule prefers: at least one, perhaps all."""
        if len(copies) == 1:
            return list(copies)
        keys = self.keys(copies)
        least = min(keys)
        return [copy for copy, key in zip(copies, keys, strict=True) if key == least]

    def words(self, copies: Sequence[StockFile]) -> tuple[str, dict[bytes, str]]:
        """Return what is said of the copy that the rule decides for, and of others, by path, should it be against."""
        said = self.against(copies) if self.against else [self.spared] * len(copies)
        return self.kept, {copy.path: words for copy, words in zip(copies, said, strict=True)}


def each(key: Callable[[StockFile], Any]) -> Callable[[Sequence[StockFile]], Sequence[Any]]:
    """Return `Rule.keys` that look at one copy at a time."""
    return lambda copies: [key(copy) for copy in copies]


_PLAIN = {
    "oldest": (each(lambda copy: copy.modified_ns), "oldest", "newer than the keeper"),
    "newest": (each(lambda copy: -copy.modified_ns), "newest", "older than the keeper"),
    "shortest-path": (each(lambda copy: len(copy.path)), "shortest path", "longer path than the keeper's"),
    "longest-path": (each(lambda copy: -len(copy.path)), "longest path", "shorter path than the keeper's"),
    "plain-name": (
        look_copied,
        "its name does not look like a copy's",
        "its name looks like a copy's",
    ),
    "at-hand": (each(lambda copy: is_remote(copy.path)), "on this machine", "on a server, and the keeper is at hand"),
    "named": (nameless, "its folder's name says what is in it", "its folder's name says less"),
    "first-by-name": (each(lambda copy: copy.path), "first by name", "later by name than the keeper"),
}
TOGETHER = "together"
SORTED = "sorted"
Users = Mapping[bytes, frozenset[str]]
"""The names of the catalogues that use a file, by its path."""

_WITH_A_VALUE = ("under", "outside", "place", "volume")
_FROM_COMPANIONS = ("most-metadata", "earliest-capture")
WORDS = (*(f"{word}:…" for word in _WITH_A_VALUE), "known", SORTED, *_PLAIN, *_FROM_COMPANIONS, TOGETHER)
"""Every rule as it is written on the command line and in the settings."""

DEFAULT_RULES = (
    "known", SORTED, "plain-name", "most-metadata", "at-hand", TOGETHER, "named", "oldest", "shortest-path",
    "first-by-name",
)  # fmt: skip
"""Right for most people: what follows `together` is asked of whole folders first. The last one always decides."""

_MEANINGS = {
    "known": "the copy that a remembered catalogue knows, if there is one (known:NAME for one of them)",
    SORTED: "the copy in a folder that somebody sorted, not in a dump: a card, import, download, backup, desktop, …",
    "plain-name": "the copy whose name, and folder, do not look like a copy's: no (1), copy, Copy of; no -2 or date",
    "most-metadata": "the copy with the most written about it: sidecars beside it, rating, title, keywords",
    "earliest-capture": "the copy that was taken first, after its sidecar or else its own data",
    "at-hand": "the copy on this machine, not one on a server",
    TOGETHER: "one choice for whole folders, so that a shoot is not split: the folder that holds more; "
    "of two that hold as much, what the rules below prefer in more of their files",
    "named": "the copy in the folder whose name says more: a year and a word, a word",
    "oldest": "the copy that was changed longest ago",
    "newest": "the copy that was changed last",
    "shortest-path": "the copy with the shortest path",
    "longest-path": "the copy with the longest path",
    "first-by-name": "the copy that comes first by name, so that one is always chosen",
}


def meaning(word: str) -> str:
    """Return what a rule prefers, for a person who asks which rules are in force."""
    kind, _, value = word.partition(":")
    if kind == "known" and value:
        return f"the copies that the catalogue {visible(value)} knows"
    if kind in _WITH_A_VALUE and value:
        where = {"under": "under", "outside": "not under", "place": "in the place", "volume": "on the volume of"}[kind]
        return f"the copies {where} {visible(value)}"
    return _MEANINGS[word]


def make_rules(words: Sequence[str], stock: Stock, companions: Companions, users: Users | None = None) -> list[Rule]:
    """Return the rules that words stand for; `users` are the catalogues that use each file.

    Raises
    ------
    UnusableInput
        If a word is no rule, or names a place or volume that the stock does not know.
    """
    return [_rule(word, stock, companions, users or {}) for word in words]


def that_may_decide(rules: Sequence[Rule], stock: Stock, companions: Companions, users: Users | None) -> list[Rule]:
    """Return rules without those that cannot prefer any file of a stock to another."""
    idle = {
        "known": not users,
        "most-metadata": not companions,
        "at-hand": not any(is_remote(place.path) for place in stock.places.all()),
    }
    return [rule for rule in rules if not idle.get(rule.word)]


def _rule(word: str, stock: Stock, companions: Companions, users: Users) -> Rule:
    kind, _, value = word.partition(":")
    if word == "known" or (kind == "known" and value):
        what = visible(value) if value else "a catalogue"
        unknown = each(lambda copy: not (value in users.get(copy.path, ()) if value else users.get(copy.path)))
        return Rule(word, unknown, f"{what} knows it", f"{what} knows the keeper, not this one")
    if word in _PLAIN:
        return Rule(word, *_PLAIN[word], copied_words if word == "plain-name" else None)
    if word == SORTED:
        return Rule(
            word, dumped, "sorted into a folder of its own", "", lambda copies: list(map(_in_dump, dumps(copies)))
        )
    if word == "most-metadata":
        keys = each(lambda copy: -companions.facts(copy.path))
        return Rule(word, keys, "has the most written about it", "less is written about it than about the keeper")
    if word == "earliest-capture":
        return Rule(word, companions.captured, "taken first", "taken later than the keeper")
    if kind not in _WITH_A_VALUE or not value:
        near = nearest(kind, (known.partition(":")[0] for known in WORDS))
        advice = f"did you mean {next(w for w in WORDS if w.startswith(near))}?" if near else "see keep --explain"
        raise UnusableInput(f"{visible(word)!r} is no rule", advice)
    if kind in ("under", "outside"):
        return _under(word, value, outside=kind == "outside")
    place = next((place for place in stock.places.all() if place.label == value), None)
    if place is None:
        raise UnusableInput(f"{visible(word)!r} names no place", "name one by its label, see foldkeep places")
    if kind == "place":
        keys = each(lambda copy: copy.place.id != place.id)
        return Rule(word, keys, f"in {visible(value)}", f"not in {visible(value)}")
    keys = each(lambda copy: copy.volume != place.volume)
    return Rule(word, keys, f"on the volume of {visible(value)}", f"not on the volume of {visible(value)}")


def dumped(copies: Sequence[StockFile]) -> list[bool]:
    """Tell of each copy whether it lies in a dump."""
    return list(map(bool, dumps(copies)))


def _in_dump(what: str) -> str:
    return f"{what} (the keeper was sorted)"


def _under(word: str, folder: str, *, outside: bool) -> Rule:
    top = real_folder(folder)
    under, elsewhere = f"under {visible(folder)}", f"not under {visible(folder)}"
    kept, spared = (elsewhere, under) if outside else (under, elsewhere)
    return Rule(word, each(lambda copy: lies_below(copy.path, top) is outside), kept, spared)


def real_folder(text: str) -> bytes:
    """Return the absolute path that a person means by the name of a folder, with no symbolic link in it."""
    return real_path(os.path.expanduser(os.fsencode(text)))
