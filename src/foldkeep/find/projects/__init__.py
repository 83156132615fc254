"""Projects: what lies in each, what they use, who uses them, and which have gone quiet."""

from .lending import Lending, lending
from .projects import PARTS, Activity, Project, projects

__all__ = ["PARTS", "Activity", "Lending", "Project", "lending", "projects"]
