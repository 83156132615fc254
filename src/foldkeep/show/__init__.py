"""What people look at. Takes answers, computes none."""

from .caches import caches_document, show_caches
from .changing import (
    show_audit,
    show_folded,
    show_ledger,
    show_plan,
    show_problems,
    show_proposal,
    show_release_question,
    show_released,
    show_rules,
    show_run,
    show_unfolded,
)
from .charts import draw_treemap, draw_usage
from .comparing import COMPARE_COLUMNS, comparison_document, comparison_rows, show_comparison
from .details import details_document, show_details
from .documents import (
    match_document,
    overview_document,
    path_document,
    place_document,
    problem_documents,
    run_document,
    run_file_document,
    set_document,
    space_document,
)
from .finding import (
    show_folder_matches,
    show_more_sets,
    show_overview,
    show_places,
    show_scan,
    show_sets,
    show_settings,
)
from .inventories import (
    inventory_document,
    listed_document,
    show_inventory,
    show_listed_docket,
    show_saved_inventory,
    show_sheet,
)
from .orphans import (
    catalog_document,
    known_document,
    orphans_document,
    show_catalogs,
    show_known,
    show_orphans,
)
from .page import Column, Page
from .progress import ProgressLine
from .reviewing import HELP as REVIEW_HELP
from .reviewing import show_refusal, show_review_end, show_review_set
from .sheet import draw_sheet, write_sheet
from .space import show_empty_folders, show_files, show_listed, show_usage, show_volumes, usage_document
from .touring import show_step, show_tour
from .words import count

__all__ = [
    "show_caches",
    "caches_document",
    "Page",
    "Column",
    "count",
    "ProgressLine",
    "show_scan",
    "show_catalogs",
    "show_known",
    "show_orphans",
    "catalog_document",
    "known_document",
    "orphans_document",
    "show_details",
    "show_volumes",
    "show_usage",
    "usage_document",
    "show_files",
    "show_listed",
    "show_listed_docket",
    "show_empty_folders",
    "listed_document",
    "show_inventory",
    "show_saved_inventory",
    "inventory_document",
    "show_comparison",
    "comparison_document",
    "comparison_rows",
    "COMPARE_COLUMNS",
    "draw_treemap",
    "write_sheet",
    "draw_sheet",
    "show_sheet",
    "draw_usage",
    "details_document",
    "show_places",
    "show_settings",
    "show_overview",
    "show_sets",
    "show_more_sets",
    "show_folder_matches",
    "show_rules",
    "show_proposal",
    "REVIEW_HELP",
    "show_review_set",
    "show_review_end",
    "show_refusal",
    "show_plan",
    "show_folded",
    "show_unfolded",
    "show_release_question",
    "show_released",
    "show_ledger",
    "show_run",
    "show_audit",
    "show_problems",
    "show_step",
    "show_tour",
    "path_document",
    "problem_documents",
    "set_document",
    "overview_document",
    "match_document",
    "place_document",
    "run_document",
    "run_file_document",
    "space_document",
]
