"""What is drawn: maps and bars of space, and sheets of sets with pictures."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .charts import draw_coverage, draw_projects, draw_treemap, draw_usage
    from .check_up import write_check_up
    from .sheet import SheetOrigin, draw_sheet, write_sheet

__all__ = [
    "SheetOrigin",
    "draw_coverage",
    "draw_projects",
    "draw_sheet",
    "draw_treemap",
    "draw_usage",
    "write_check_up",
    "write_sheet",
]

__getattr__ = names_of(__name__, __file__)
