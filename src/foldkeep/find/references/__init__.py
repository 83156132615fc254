"""Which folders are projects', and which files their documents use."""

from .project_folders import ProjectFolders, package_folders
from .project_references import Uses, UsesOfAll
from .timeline_uses import TimelineUses

__all__ = ["ProjectFolders", "TimelineUses", "Uses", "UsesOfAll", "package_folders"]
