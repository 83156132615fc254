"""Open formats in and out, one module each."""

from .csv import read_table, write_table

__all__ = ["read_table", "write_table"]
