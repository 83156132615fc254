"""What is measured of contents, in a helper process: what media say of themselves, small pictures, likeness."""

from .media_facts import MEDIA, MediaReader, Medium, capture_moment, read_sidecar, sidecars_of
from .media_worker import Apart
from .reductions import MEASURER

__all__ = [
    "Apart",
    "MediaReader",
    "Medium",
    "MEDIA",
    "capture_moment",
    "read_sidecar",
    "sidecars_of",
    "MEASURER",
]
