"""Small libraries in a mess, each with what a person would do about it, and why.

They were written before the rules that decide them. An answer changes only for a reason that its commit gives.
"""

from .backups import BACKUPS
from .edits import EDITS
from .mess import Mess
from .music import MUSIC
from .programs import PROGRAMS
from .retagged import RETAGGED
from .shoots import SHOOTS
from .wishes import WISHES

MESSES: tuple[Mess, ...] = (*SHOOTS, *BACKUPS, *MUSIC, *EDITS, *PROGRAMS, *RETAGGED, *WISHES)

__all__ = ["MESSES", "Mess"]
