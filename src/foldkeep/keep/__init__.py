"""Choosing which copies stay, and the dockets that propose it."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .aside import leaving_aside
    from .choose import Chooser
    from .docket import (
        COLUMNS,
        ORIGIN,
        current_rows,
        docket_digest,
        open_docket,
        read_choices,
        read_docket,
        write_docket,
    )
    from .essences import propose_essences
    from .in_use import InUse, known_uses
    from .keep_options import Wishes
    from .proposal import Proposal, propose, propose_for
    from .review import Review
    from .rules import meaning, real_folder
    from .sheet import SheetCopy, SheetSet, sheet_sets
    from .sides import Side

__all__ = [
    "leaving_aside",
    "propose",
    "propose_for",
    "propose_essences",
    "InUse",
    "known_uses",
    "Proposal",
    "Chooser",
    "Wishes",
    "meaning",
    "real_folder",
    "COLUMNS",
    "ORIGIN",
    "docket_digest",
    "open_docket",
    "read_docket",
    "read_choices",
    "current_rows",
    "write_docket",
    "Review",
    "SheetSet",
    "SheetCopy",
    "sheet_sets",
    "Side",
]

__getattr__ = names_of(__name__, __file__)
