"""The safe changes: names that never replace another, folders, copies, and what brings them to the disk."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .copying import Copied, clone_file, copy_file, copy_open_file, write_content, write_like
    from .flushing import flush, flush_volume
    from .folders import Folders, FolderTimes, keeping_times, take_away
    from .names import (
        is_claim,
        is_empty_folder,
        link,
        move,
        move_onto_empty,
        move_to_free,
        remove_folder,
        unlink,
        unlink_twin,
        way_of_moving,
    )

__all__ = [
    "move",
    "move_to_free",
    "move_onto_empty",
    "link",
    "unlink",
    "unlink_twin",
    "remove_folder",
    "is_empty_folder",
    "is_claim",
    "way_of_moving",
    "Folders",
    "FolderTimes",
    "keeping_times",
    "take_away",
    "Copied",
    "copy_file",
    "copy_open_file",
    "clone_file",
    "write_like",
    "write_content",
    "flush",
    "flush_volume",
]

__getattr__ = names_of(__name__, __file__)
