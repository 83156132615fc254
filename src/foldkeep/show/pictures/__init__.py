"""What is drawn: maps and bars of space, and sheets of sets with pictures."""

from .charts import draw_coverage, draw_projects, draw_treemap, draw_usage
from .sheet import draw_sheet, write_sheet

__all__ = ["draw_coverage", "draw_projects", "draw_sheet", "draw_treemap", "draw_usage", "write_sheet"]
