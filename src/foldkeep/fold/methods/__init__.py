"""What can be done with a file that goes: one module a method, and the registry of all."""

from foldkeep.model import Method

from .binning import Bin
from .clones import Clone
from .copying import Copy
from .deleting import Delete
from .healing import Heal
from .links import HardLink, SymbolicLink, is_our_link
from .method import GONE_FROM_FOLD, NOT_BEGUN, FoldMethod
from .moving import Move
from .words import NOTHING_NEW, Rewrite, Write

METHODS: dict[Method, FoldMethod] = {
    each.method: each
    for each in (
        FoldMethod(),
        Move(),
        Bin(),
        HardLink(),
        SymbolicLink(),
        Clone(),
        Delete(),
        Copy(),
        Heal(),
        Rewrite(),
        Write(),
    )
}

__all__ = ["METHODS", "FoldMethod", "NOT_BEGUN", "GONE_FROM_FOLD", "NOTHING_NEW", "is_our_link"]
