"""What answers are written with: the page and its tables, progress, words, and parts of JSON documents."""

from .documents import Document
from .lines import write_problems
from .page import Page
from .progress import ProgressBar
from .tables import Column
from .words import count

__all__ = ["Column", "Document", "Page", "ProgressBar", "count", "write_problems"]
