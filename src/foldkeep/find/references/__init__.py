"""Which folders are projects', and which files their documents use."""

from .project_folders import ProjectFolders, package_folders
from .project_references import Uses, UsesOfAll

__all__ = ["ProjectFolders", "Uses", "UsesOfAll", "package_folders"]
