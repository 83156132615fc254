"""Small libraries in a mess, each with what a person would do about it, and why.

They were written before the rules that decide them. An answer changes only for a reason that its commit gives.
"""

from .backups import BACKUPS
from .context import CONTEXT
from .edits import EDITS
from .mess import Mess
from .music import MUSIC
from .narrowed import NARROWED
from .programs import PROGRAMS
from .retagged import RETAGGED
from .selections import SELECTIONS
from .shoots import SHOOTS
from .wishes import WISHES

MESSES: tuple[Mess, ...] = (
    *SHOOTS,
    *BACKUPS,
    *MUSIC,
    *EDITS,
    *PROGRAMS,
    *RETAGGED,
    *WISHES,
    *SELECTIONS,
    *CONTEXT,
    *NARROWED,
)

__all__ = ["MESSES", "Mess"]
