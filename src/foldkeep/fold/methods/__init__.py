"""What can be done with a file that goes: one module a method, and the registry of all."""

from foldkeep.model import Method, RunFile
from foldkeep.model.remote import is_remote

from .binning import Bin
from .clones import Clone
from .copying import Copy
from .deleting import Delete
from .healing import Heal
from .links import HardLink, SymbolicLink, is_our_link
from .method import GONE_FROM_FOLD, NOT_BEGUN, FoldMethod
from .moving import Move
from .uploading import Upload
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

_UPLOAD = Upload()


def method_of(file: RunFile) -> FoldMethod:
    """Return what is done with a file of a run: by its method, and whether it goes onto a server."""
    return _UPLOAD if file.method is Method.MOVE and is_remote(file.target) else METHODS[file.method]


__all__ = ["METHODS", "method_of", "FoldMethod", "NOT_BEGUN", "GONE_FROM_FOLD", "NOTHING_NEW", "is_our_link"]
