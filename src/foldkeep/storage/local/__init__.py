"""The computer's own file systems: what the protocol asks for. Its rooms have what only they can do."""

from .changes.flushing import flush_volume
from .changes.names import link, move, move_to_free, remove_folder, unlink
from .drives.capabilities import capabilities_of, limits_of
from .drives.volumes import volume_of
from .reading.digests import digest_in
from .reading.opening import facts_of, opened

__all__ = [
    "flush_volume",
    "link",
    "move",
    "move_to_free",
    "remove_folder",
    "unlink",
    "capabilities_of",
    "limits_of",
    "volume_of",
    "digest_in",
    "facts_of",
    "opened",
]
