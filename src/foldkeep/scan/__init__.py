"""Scanning: walking places, reading what can have a copy, filling the stock."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .drives import follow_drives, mark_place, move_place
    from .in_use import open_files, sign_of_work
    from .named import check_filter, check_folder, check_names, fits_nothing
    from .places import Presence, TwinPlace, add_place, find_place, named_folder, places_here, presence, presences
    from .remote import remote_sighting
    from .report import ScanReport
    from .scanning import read_contents, read_shared, scan
    from .thumbnails import StaleThumbnail, shown_by, stale_thumbnails

__all__ = [
    "check_filter",
    "check_folder",
    "check_names",
    "fits_nothing",
    "scan",
    "read_contents",
    "read_shared",
    "ScanReport",
    "add_place",
    "find_place",
    "TwinPlace",
    "follow_drives",
    "mark_place",
    "move_place",
    "named_folder",
    "places_here",
    "remote_sighting",
    "presence",
    "presences",
    "Presence",
    "open_files",
    "sign_of_work",
    "StaleThumbnail",
    "shown_by",
    "stale_thumbnails",
]

__getattr__ = names_of(__name__, __file__)
