"""What lies where else, what is still right, and what stands for what was lost: the opposite of a duplicate."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .bins import BinContents, Binned, look_into_bins
    from .cards import CardAnswer, CardCoverage, cover_card
    from .fixity import Damage, Fixity, GoodCopies, check_fixity
    from .overview import BY_DISKS, BY_VOLUMES, Counted, Coverage, Demand, Standing, Whereabouts, coverage, whereabouts

__all__ = [
    "coverage",
    "Coverage",
    "Counted",
    "Demand",
    "BY_DISKS",
    "BY_VOLUMES",
    "Standing",
    "whereabouts",
    "Whereabouts",
    "cover_card",
    "CardCoverage",
    "CardAnswer",
    "look_into_bins",
    "BinContents",
    "Binned",
    "check_fixity",
    "Fixity",
    "Damage",
    "GoodCopies",
]

__getattr__ = names_of(__name__, __file__)
