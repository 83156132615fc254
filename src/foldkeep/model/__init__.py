"""The nouns of Fold Keep as plain values: no input, no output, nothing of ours imported from elsewhere.

Named here are those that all rooms speak of; what is about one noun only is named by its module.
"""

from typing import TYPE_CHECKING

from .faces import names_of

if TYPE_CHECKING:
    from .dockets import Action, DocketRow
    from .errors import FoldKeepError, UnusableInput
    from .files import CopySet, Place, Role, StockFile
    from .filters import Filter
    from .media import Facts
    from .names import PathBytes, visible
    from .runs import Method, Run, RunFile, RunFileState, RunSummary
    from .settings import Settings
    from .volumes import Volume
    from .work import Problem, Progress, Step, no_progress

__all__ = [
    "Place",
    "Role",
    "StockFile",
    "CopySet",
    "Filter",
    "Facts",
    "Settings",
    "Volume",
    "Action",
    "DocketRow",
    "Method",
    "Run",
    "RunFile",
    "RunFileState",
    "RunSummary",
    "Problem",
    "Progress",
    "Step",
    "no_progress",
    "PathBytes",
    "FoldKeepError",
    "UnusableInput",
    "visible",
]

__getattr__ = names_of(__name__, __file__)
