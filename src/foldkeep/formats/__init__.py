"""Open formats in and out, one module each."""

from .csv import read_table, rewrite_file, write_new_file, write_table
from .settings import SettingsFile, read_settings, settings_table
from .xmp import Xmp, parse_xmp

__all__ = [
    "read_table",
    "write_table",
    "write_new_file",
    "rewrite_file",
    "read_settings",
    "settings_table",
    "SettingsFile",
    "Xmp",
    "parse_xmp",
]
