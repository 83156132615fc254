"""Which folders are projects', and which files their documents use."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .project_folders import ProjectFolders, package_folders
    from .project_references import Uses, UsesOfAll
    from .timeline_uses import TimelineUses

__all__ = ["ProjectFolders", "TimelineUses", "Uses", "UsesOfAll", "package_folders"]

__getattr__ = names_of(__name__, __file__)
