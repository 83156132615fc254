"""Projects: what lies in each, what they use, who uses them, and which have gone quiet."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .loans import Lending, lending
    from .project import PARTS, Activity, Project, projects

__all__ = ["PARTS", "Activity", "Lending", "Project", "lending", "projects"]

__getattr__ = names_of(__name__, __file__)
