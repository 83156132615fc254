"""THE ONLY ROOM THAT CHANGES USERS' FILES.

One way in, `fold`; two ways on, `unfold` and `release`. Before any of them, and after it, `settle_all` brings
the ledger in line with what the disk shows, so that a process may be killed between any two lines here.
"""

from .auditing import Audit, audit
from .checking import check_plan
from .choosing import find_run, last_waiting_run, surely_began
from .folding import FoldReport, fold
from .plan import Merged, Plan, make_plan
from .releasing import ReleaseReport, release
from .settling import settle_all
from .space import Space
from .unfolding import COMES_BACK, UnfoldReport, unfold, unfold_from

__all__ = [
    "make_plan",
    "check_plan",
    "Plan",
    "Merged",
    "fold",
    "FoldReport",
    "Space",
    "unfold",
    "unfold_from",
    "UnfoldReport",
    "COMES_BACK",
    "release",
    "ReleaseReport",
    "audit",
    "Audit",
    "settle_all",
    "find_run",
    "last_waiting_run",
    "surely_began",
]
