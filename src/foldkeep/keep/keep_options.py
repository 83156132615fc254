"""What a person asks of a choice."""

from dataclasses import dataclass, field
from typing import Self

from foldkeep.model import Filter, Settings

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
    mine
        How many of the rules, from the first on, a person gave just now: what they prefer stays, even where another
        copy stays for a reason of its own.
    takes_programs
        Also look into folders that a program needs as they are.
    ignores_projects
        What projects' documents use is no reason to stay.
    """

    rules: tuple[str, ...] = DEFAULT_RULES
    protect: tuple[str, ...] = ()
    give_up_under: tuple[bytes, ...] = ()
    at_least: int = 1
    per: str | None = None
    wanted: Filter = field(default_factory=Filter)
    leaves_links: bool = False
    mine: int = 0
    takes_programs: bool = False
    ignores_projects: bool = False

    @classmethod
    def after(cls, settings: Settings, wanted: Filter) -> Self:
        """Return what the settings ask for, of the files that are wanted."""
        return cls(
            DEFAULT_RULES if settings.prefer is None else settings.prefer,
            settings.protect,
            tuple(real_folder(folder) for folder in settings.give_up_under),
            settings.at_least,
            settings.per or None,
            wanted,
            takes_programs=settings.takes_programs,
        )
