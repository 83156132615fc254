"""What is measured of contents, in a helper process: what media say of themselves, small pictures, likeness."""

from .extractors import EXTRACTORS, MEDIA, Extractor
from .media_facts import MediaReader, Medium, capture_moment, read_sidecar, sidecars_of
from .media_worker import Apart, NotRead
from .reductions import MEASURER

__all__ = [
    "EXTRACTORS",
    "Extractor",
    "Apart",
    "NotRead",
    "MediaReader",
    "Medium",
    "MEDIA",
    "capture_moment",
    "read_sidecar",
    "sidecars_of",
    "MEASURER",
]
