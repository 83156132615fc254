"""The computer's own file systems: opening, reading and copying without following links; names, locks, volumes."""

from .copying import Copied, clone_file, copy_file, copy_open_file, has_digest, same_content, write_like
from .flushing import flush_volume
from .folders import Folders, FolderTimes, keeping_times, take_away
from .holes import Ranges, SparseWriter, data_ranges, has_holes
from .identity import (
    Identity,
    NotSafe,
    Stamp,
    Stamps,
    check_unchanged,
    clamped_ns,
    is_regular,
    may_be_one,
    may_have_one,
    modified_ns,
)
from .limits import Limits, limits_of
from .locks import LOCK_NAME, hold_places
from .names import MOST_NAMES, facts_of, is_claim, is_empty_folder, makes_claims, move, move_to_free, unlink_twin
from .opening import FILE, FOLDER, facts_at, forget_pages, open_below, open_path, opened
from .ownership import (
    attributes_of,
    give_attributes,
    give_owner,
    is_special,
    owner_here,
    owner_names,
)
from .reading import READ_BUFFER, digest_in, digest_of
from .volumes import VolumeFacts, has_one_device, is_local, is_read_only, keeps_inodes, mounted_volumes, volume_of

__all__ = [
    "FILE",
    "FOLDER",
    "open_path",
    "opened",
    "open_below",
    "facts_at",
    "forget_pages",
    "digest_of",
    "digest_in",
    "READ_BUFFER",
    "Identity",
    "Stamp",
    "Stamps",
    "NotSafe",
    "check_unchanged",
    "may_be_one",
    "may_have_one",
    "is_regular",
    "modified_ns",
    "clamped_ns",
    "facts_of",
    "move",
    "move_to_free",
    "unlink_twin",
    "is_empty_folder",
    "is_claim",
    "makes_claims",
    "MOST_NAMES",
    "Folders",
    "FolderTimes",
    "take_away",
    "keeping_times",
    "flush_volume",
    "has_holes",
    "data_ranges",
    "Ranges",
    "SparseWriter",
    "attributes_of",
    "give_attributes",
    "give_owner",
    "is_special",
    "owner_here",
    "owner_names",
    "Copied",
    "copy_file",
    "copy_open_file",
    "clone_file",
    "write_like",
    "same_content",
    "has_digest",
    "VolumeFacts",
    "volume_of",
    "is_local",
    "has_one_device",
    "keeps_inodes",
    "is_read_only",
    "Limits",
    "limits_of",
    "mounted_volumes",
    "LOCK_NAME",
    "hold_places",
]
