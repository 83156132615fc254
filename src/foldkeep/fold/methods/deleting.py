"""Deleting for good: folded like any spare, and released in the same batch, after it was read once more."""

from foldkeep.model import Method

from .method import FoldMethod


class Delete(FoldMethod):
    """A spare goes into the fold and is released at once."""

    method = Method.DELETE
