"""What a person asks of a choice."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Self

from foldkeep.model import DocketRow, Filter, Settings

from .rules import DEFAULT_RULES, real_folder


@dataclass(frozen=True, slots=True)
class Wishes:
    """Wishes of a person on how keepers are chosen.

    Attributes
    ----------
    rules
        Words of rules, in the order in which they are asked.
    protect
        What must not go, see `parse_protection`.
    give_up_under
        Absolute folders whose files go first.
    at_least
        How many copies stay, on different disks where there are any.
    per
        One copy stays on each ``volume``, ``place`` or ``role``; None for one in all.
    wanted
        Only files that fit may go; the others stay.
    leaves_links
        Something of the keeper's will stand in the place of what goes, so that catalogues still find it.
    learned
        Rules that were learned from a person's decisions and taken into the settings; they come before the usual ones.
    mine
        How many of the rules, from the first on, a person gave just now: what they prefer stays, even where another
        copy stays for a reason of its own.
    takes_programs
        Also look into folders that a program needs as they are.
    ignores_projects
        What projects' documents use is no reason to stay.
    decided
        Rows of sets that a person decided about in dockets that wait, by path; of the same content it holds on.
    """

    rules: tuple[str, ...] = DEFAULT_RULES
    protect: tuple[str, ...] = ()
    give_up_under: tuple[bytes, ...] = ()
    at_least: int = 1
    per: str | None = None
    wanted: Filter = field(default_factory=Filter)
    leaves_links: bool = False
    learned: tuple[str, ...] = ()
    mine: int = 0
    takes_programs: bool = False
    ignores_projects: bool = False
    decided: Mapping[bytes, DocketRow] = field(default_factory=dict)

    @classmethod
    def after(cls, settings: Settings, wanted: Filter) -> Self:
        """Return what the settings ask for, of the files that are wanted."""
        usual = DEFAULT_RULES if settings.prefer is None else settings.prefer
        return cls(
            tuple(dict.fromkeys((*settings.learned, *usual))),
            settings.protect,
            tuple(real_folder(folder) for folder in settings.give_up_under),
            settings.at_least,
            settings.per or None,
            wanted,
            learned=settings.learned,
            takes_programs=settings.takes_programs,
        )

    def unlearned(self) -> Self:
        """Return the same wishes without learned rules."""
        return replace(self, rules=tuple(word for word in self.rules if word not in self.learned), learned=())

    def also(self, learned: Sequence[str]) -> Self:
        """Return the same wishes with rules learned besides, asked after those that are learned already."""
        words = tuple(dict.fromkeys((*self.learned, *learned)))
        first, usual = self.rules[: self.mine], [word for word in self.rules[self.mine :] if word not in words]
        return replace(self, rules=tuple(dict.fromkeys((*first, *words, *usual))), learned=words)
