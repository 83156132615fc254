"""What is measured of contents, in a helper process: what media say of themselves, small pictures, likeness."""

from .copy_state import CopyState, copy_states
from .extractors import EXTRACTORS, MEDIA, Extractor
from .measures import Measures
from .media_facts import MediaReader, Medium, capture_moment, read_sidecar, sidecars_of
from .media_worker import Apart, NotRead

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
    "CopyState",
    "copy_states",
    "Measures",
]
