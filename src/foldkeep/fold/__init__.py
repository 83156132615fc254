"""THE ONLY ROOM THAT CHANGES USERS' FILES.

One way in, `fold`; two ways on, `unfold` and `release`. Before any of them, and after it, `settle_all` brings
the ledger in line with what the disk shows, so that a process may be killed between any two lines here.
"""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .places import hold_around
    from .recovery.reconcile import settle_all
    from .runs.additions import addition_plan
    from .runs.auditing import Audit, audit
    from .runs.bins import empty_bins
    from .runs.checking import check_plan
    from .runs.folding import FoldReport, fold
    from .runs.grades import Consent
    from .runs.plan import Item, Merged, Plan, make_plan
    from .runs.releasing import ReleaseReport, release, release_rests
    from .runs.run_lookup import find_run, last_waiting_run
    from .runs.unfolding import COMES_BACK, UnfoldReport, unfold, unfold_from
    from .space import Space

__all__ = [
    "make_plan",
    "addition_plan",
    "check_plan",
    "Plan",
    "Item",
    "Merged",
    "fold",
    "FoldReport",
    "Space",
    "unfold",
    "unfold_from",
    "UnfoldReport",
    "COMES_BACK",
    "release",
    "release_rests",
    "empty_bins",
    "Consent",
    "ReleaseReport",
    "audit",
    "Audit",
    "settle_all",
    "hold_around",
    "find_run",
    "last_waiting_run",
]

__getattr__ = names_of(__name__, __file__)
