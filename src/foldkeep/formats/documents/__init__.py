"""Documents of projects: timelines, and whatever else names the files that it uses."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .bin_info import LONGEST_BIN_INFO, BinInfo, read_bin_info
    from .lengths import timeline_seconds
    from .litter import LARGEST_LITTER, kind_of_litter, may_be_litter
    from .manifests import records_of
    from .mentions import Mentions, mentions_in

__all__ = [
    "read_bin_info",
    "BinInfo",
    "LONGEST_BIN_INFO",
    "LARGEST_LITTER",
    "kind_of_litter",
    "may_be_litter",
    "timeline_seconds",
    "records_of",
    "Mentions",
    "mentions_in",
]

__getattr__ = names_of(__name__, __file__)
