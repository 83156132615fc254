"""THE ONLY ROOM THAT CHANGES USERS' FILES.

One way in, `fold`; two ways on, `unfold` and `release`. Before any of them, and after it, `settle_all` brings
the ledger in line with what the disk shows, so that a process may be killed between any two lines here.
"""

from .choosing import find_run, last_waiting_run
from .folding import FoldReport, fold
from .plan import Plan, make_plan
from .releasing import ReleaseReport, release
from .settling import settle_all
from .unfolding import UnfoldReport, unfold

__all__ = [
    "make_plan",
    "Plan",
    "fold",
    "FoldReport",
    "unfold",
    "UnfoldReport",
    "release",
    "ReleaseReport",
    "settle_all",
    "find_run",
    "last_waiting_run",
]
