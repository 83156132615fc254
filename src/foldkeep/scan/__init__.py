"""Scanning: walking places, reading what can have a copy, filling the stock."""

from .opening import FILE, FOLDER, open_below, open_path
from .reading import digest_of
from .scan import ScanReport, add_place, scan

__all__ = ["scan", "ScanReport", "add_place", "digest_of", "open_below", "open_path", "FILE", "FOLDER"]
