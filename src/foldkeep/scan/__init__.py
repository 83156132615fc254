"""Scanning: walking places, reading what can have a copy, filling the stock."""

from .drives import follow_drives, mark_place, move_place
from .in_use import open_files, sign_of_work
from .named import check_filter, check_folder
from .packages import (
    Checked,
    Whole,
    archived_file,
    check_package,
    looked_through,
    missing_files,
    read_manifests,
    remember_package,
)
from .places import Presence, TwinPlace, add_place, find_place, named_folder, presence, presences
from .report import ScanReport
from .scan import scan
from .thumbnails import StaleThumbnail, shown_by, stale_thumbnails

__all__ = [
    "check_filter",
    "check_folder",
    "scan",
    "ScanReport",
    "add_place",
    "find_place",
    "TwinPlace",
    "follow_drives",
    "mark_place",
    "move_place",
    "named_folder",
    "presence",
    "presences",
    "Presence",
    "Checked",
    "Whole",
    "check_package",
    "read_manifests",
    "missing_files",
    "looked_through",
    "remember_package",
    "archived_file",
    "open_files",
    "sign_of_work",
    "StaleThumbnail",
    "shown_by",
    "stale_thumbnails",
]
