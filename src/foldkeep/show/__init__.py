"""What people look at. Takes answers, computes none."""

from .answers import (
    count,
    show_duplicates,
    show_folded,
    show_ledger,
    show_plan,
    show_problems,
    show_proposal,
    show_release_question,
    show_released,
    show_run,
    show_scan,
    show_step,
    show_tour,
    show_unfolded,
)
from .documents import (
    path_document,
    problem_documents,
    run_document,
    run_file_document,
    set_document,
    totals_document,
)
from .page import Column, Page
from .progress import ProgressLine

__all__ = [
    "Page",
    "Column",
    "ProgressLine",
    "count",
    "show_scan",
    "show_step",
    "show_tour",
    "show_duplicates",
    "show_proposal",
    "show_plan",
    "show_folded",
    "show_unfolded",
    "show_release_question",
    "show_released",
    "show_ledger",
    "show_run",
    "show_problems",
    "path_document",
    "problem_documents",
    "set_document",
    "totals_document",
    "run_document",
    "run_file_document",
]
