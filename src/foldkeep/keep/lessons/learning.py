"""Rules that decide as a person did: found from the decisions in dockets, and never put into force unasked.

Candidates are all rules that the decisions can tell of: the folders above what was kept and what was given up, their
places, and the plain rules on names, age and words. Rules are asked one after another, so a list of them is sought: a
greedy cover first, then every rule is tried in every place of it, as long as the list gets better. Each rule has its
price, and so has each decision that no rule explains, and each that one contradicts.
"""

import os
from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from typing import NamedTuple

from foldkeep.model import StockFile
from foldkeep.model.names import folders_above, lies_below

from ..rules import Rule

_FEWEST = 2  # decisions that a rule explains
_MOST_CONTRADICTED = 0.15  # of the decisions that a rule speaks of: slips, and cases of their own
_PRICE = 1.9  # of a rule, in decisions
_PRICE_CONTRADICTED = 2.5
_MOST_RULES = 5
_MOST_CANDIDATES = 60
_SAMPLE = 1000  # decisions among which rules are sought; they are counted in all of them


class Decision(NamedTuple):
    """What a person decided of one set: its copies, and which of them stay, by their positions."""

    copies: Sequence[StockFile]
    kept: frozenset[int]


class Learned(NamedTuple):
    """A rule that would have decided as a person did.

    Attributes
    ----------
    word
        As `make_rules` takes it.
    explained, contradicted
        How many of the decisions it would have made alike, and otherwise, where no rule before it decides.
    """

    word: str
    explained: int
    contradicted: int


_Spoken = Mapping[str, tuple[set[int], set[int]]]
"""For each candidate the numbers of the decisions that it explains, and of those that it contradicts."""


def learn(decisions: Sequence[Decision], rules: Iterable[Rule] = ()) -> list[Learned]:
    """Return rules that decide as a person did, in the order in which they are to be asked; the fewest that do.

    Parameters
    ----------
    rules
        Candidates besides folders and places.
    """
    rules = list(rules)
    sample = decisions[:: len(decisions) // _SAMPLE + 1]
    spoken = _spoken(sample, rules)
    whole = set(range(len(sample)))
    words = _improved([], spoken, whole)
    if len(sample) < len(decisions):
        spoken, whole = _spoken(decisions, rules, words), set(range(len(decisions)))
    found = [
        Learned(word, len(yes), len(no)) for word, (yes, no) in zip(words, _turns(words, spoken, whole), strict=True)
    ]
    return [
        each
        for each in found
        if each.explained >= _FEWEST and each.contradicted <= _MOST_CONTRADICTED * (each.explained + each.contradicted)
    ]


def _improved(words: list[str], spoken: _Spoken, whole: set[int]) -> list[str]:
    """Return the list of rules of the least price that changes of one rule, or one for two, lead to."""
    most = sorted(spoken, key=lambda word: (len(spoken[word][1]) - len(spoken[word][0]), _generality(word)))
    candidates = most[:_MOST_CANDIDATES]
    price = _price(words, spoken, whole)
    while True:
        tries = [[*words[:at], *words[at + 1 :]] for at in range(len(words))]
        for word in candidates:
            if word in words:
                continue
            if len(words) < _MOST_RULES:
                tries += [[*words[:at], word, *words[at:]] for at in range(len(words) + 1)]
            swapped = [[*words[:at], word, *words[at + 1 :]] for at in range(len(words))]
            tries += swapped
            tries += [[each for each in other if each != gone] for other in swapped for gone in words if gone in other]
        cheapest, best = min(((_price(each, spoken, whole), each) for each in tries), default=(price, words))
        if cheapest >= price:
            return words
        price, words = cheapest, best


def _price(words: Sequence[str], spoken: _Spoken, whole: set[int]) -> tuple[float, int, int]:
    """Return what a list of rules costs. Of two that cost the same the one is better that explains more by folders and
    places, since any two copies differ in age; then the one that reaches less far.
    """
    left = len(whole)
    contradicted = by_folders = 0
    for word, (yes, no) in zip(words, _turns(words, spoken, whole), strict=True):
        left -= len(yes) + len(no)
        contradicted += len(no)
        by_folders += len(yes) * (":" in word)
    price = left + _PRICE_CONTRADICTED * contradicted + _PRICE * len(words)
    return price, -by_folders, sum(map(_generality, words))


def _turns(words: Sequence[str], spoken: _Spoken, whole: set[int]) -> Iterator[tuple[set[int], set[int]]]:
    """Yield for each rule the decisions that it explains and contradicts, of those that none before it decides."""
    left = whole
    for word in words:
        all_yes, all_no = spoken.get(word, (set(), set()))
        yes, no = all_yes & left, all_no & left
        left = left - yes - no
        yield yes, no


def _spoken(decisions: Sequence[Decision], rules: Sequence[Rule], only: Sequence[str] | None = None) -> _Spoken:
    """Return what every candidate says of the decisions, or `only` some of them."""
    spoken: dict[str, tuple[set[int], set[int]]] = defaultdict(lambda: (set(), set()))
    asked = rules if only is None else [rule for rule in rules if rule.word in only]
    prefixes = None if only is None else {word.partition(":")[2] for word in only if ":" in word}
    for number, decision in enumerate(decisions):
        kept = [copy for at, copy in enumerate(decision.copies) if at in decision.kept]
        gone = [copy for at, copy in enumerate(decision.copies) if at not in decision.kept]
        if not kept or not gone:
            continue
        staying, going = _counted(kept, prefixes), _counted(gone, prefixes)
        for word in staying.keys() | going.keys():
            _note(spoken, number, word, staying.get(word, 0), len(kept), going.get(word, 0), len(gone))
        for rule in asked:
            preferred = {copy.path for copy in rule.narrow(decision.copies)}
            if len(preferred) < len(decision.copies):
                of_kept = sum(copy.path in preferred for copy in kept)
                if of_kept == len(preferred) or not of_kept:
                    spoken[rule.word][not of_kept].add(number)
    return spoken


def _counted(copies: Sequence[StockFile], only: Collection[str] | None) -> dict[str, int]:
    """Return how many copies each rule on a folder or place prefers; of folders and places `only` some, if not None."""
    found: dict[str, int] = {}
    for copy in copies:
        for word in _words_of(copy) if only is None else _words_among(copy, only):
            found[word] = found.get(word, 0) + 1
    return found


def _words_among(copy: StockFile, values: Collection[str]) -> list[str]:
    return [
        f"{kind}:{value}"
        for value in values
        for kind, is_so in (("under", lies_below(copy.path, os.fsencode(value))), ("place", copy.place.label == value))
        if is_so
    ]


def _note(
    spoken: dict[str, tuple[set[int], set[int]]],
    number: int, word: str, staying: int, kept: int, going: int, gone: int,
) -> None:  # fmt: skip
    """Note what preferring a folder, place or volume says of a decision, and what preferring all outside a folder does.

    A rule explains a decision if it prefers some of what was kept and nothing of what went, and the other way about.
    """
    if bool(staying) != bool(going):
        spoken[word][not staying].add(number)
    if word.startswith("under:"):
        outside_kept, outside_gone = kept - staying, gone - going
        if bool(outside_kept) != bool(outside_gone):
            spoken[f"outside:{word.partition(':')[2]}"][not outside_kept].add(number)


def _words_of(copy: StockFile) -> list[str]:
    """Return the rules on folders, places and volumes that prefer a copy."""
    place = copy.place.path
    folders = (copy.path.rpartition(b"/")[0], *folders_above(copy.path.rpartition(b"/")[0]))
    below = [folder for folder in folders if len(folder) > len(place)]
    words = [f"under:{os.fsdecode(folder)}" for folder in below]
    return [*words, f"place:{copy.place.label}"] if copy.place.label else words


def _generality(word: str) -> int:
    """Return how much a rule takes into its reach beyond the decisions: folders little, the deeper the less."""
    kind, _, value = word.partition(":")
    if kind in ("under", "outside"):
        return 1000 - 2 * value.count("/") + (kind == "outside")
    return 2000 if value else 3000
