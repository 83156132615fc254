"""What answers are written with: the page and its tables, progress, words, and parts of JSON documents."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .documents import Document
    from .lines import write_problems
    from .page import Page
    from .progress import ProgressBar
    from .tables import Column
    from .words import count, local_day

__all__ = ["Column", "Document", "Page", "ProgressBar", "count", "local_day", "write_problems"]

__getattr__ = names_of(__name__, __file__)
