"""What is measured of contents, in a helper process: what media say of themselves, small pictures, likeness."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .copy_state import CopyState, copy_states
    from .extractors import DAMAGE, FILM_PRINT, MEDIA, PHOTO_PRINT, SOUND_PRINT, Extractor
    from .film_comparison import BITS as FRAME_BITS
    from .film_comparison import Agreement
    from .film_prints import film_frames
    from .gathering import check_contents, make_prints
    from .measures import Measures
    from .media_facts import MediaReader, Medium, capture_moment, read_sidecar, sidecars_of
    from .media_worker import Apart, NotRead
    from .photo_prints import CUTS, ORDER, SIDE
    from .sound_prints import SECONDS_A_WORD

__all__ = [
    "DAMAGE",
    "CUTS",
    "ORDER",
    "SIDE",
    "SECONDS_A_WORD",
    "SOUND_PRINT",
    "FILM_PRINT",
    "film_frames",
    "Agreement",
    "FRAME_BITS",
    "PHOTO_PRINT",
    "check_contents",
    "make_prints",
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

__getattr__ = names_of(__name__, __file__)
