"""Questions put to the stock, one module a question."""

from .duplicates import Totals, by_saving, duplicates, totals_by_kind

__all__ = ["duplicates", "by_saving", "totals_by_kind", "Totals"]
