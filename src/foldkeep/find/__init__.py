"""Questions put to the stock, one module a question."""

from .caches import all_caches, explain_cache
from .catalogs import Known, RootMap, descriptions, folders_of, known_files, uses
from .clearing import Wish, caches
from .compare import Change, Comparison, Side, Verdict, compare, open_side
from .derived import Batch, Caches, Measures, Regenerable
from .details import Details, KnownCopy, details
from .duplicates import Duplicates, Overview, Question, Totals, duplicates
from .folders import FolderFacts, FolderMatch, Relation, compare_folders
from .inventories import InventoryFacts, load_inventory, read_inventory, save_inventory
from .lending import Lending, lending
from .looking import Look, look
from .mentioned import UsesOfAll
from .orphans import LeftOver, Missing, Orphans, Standing, Twice, Unknown, orphans
from .project_folders import ProjectFolders, package_folders
from .projects import PARTS, Activity, Project, projects
from .repair import mended
from .space import AGES, GROUPINGS, LEAST_FREE, Part, Usage, VolumeSpace, empty_folders, space, volume_spaces
from .thumbnails import StaleThumbnail
from .tree import Node, space_tree

__all__ = [
    "duplicates",
    "Duplicates",
    "Question",
    "Overview",
    "Totals",
    "compare_folders",
    "FolderMatch",
    "FolderFacts",
    "Relation",
    "caches",
    "all_caches",
    "Caches",
    "Wish",
    "Batch",
    "Regenerable",
    "explain_cache",
    "ProjectFolders",
    "package_folders",
    "UsesOfAll",
    "Lending",
    "lending",
    "Measures",
    "projects",
    "Project",
    "Activity",
    "PARTS",
    "known_files",
    "folders_of",
    "uses",
    "descriptions",
    "Known",
    "RootMap",
    "orphans",
    "mended",
    "Orphans",
    "Unknown",
    "Standing",
    "Missing",
    "LeftOver",
    "StaleThumbnail",
    "Twice",
    "details",
    "Details",
    "KnownCopy",
    "look",
    "Look",
    "space",
    "volume_spaces",
    "Usage",
    "Part",
    "VolumeSpace",
    "GROUPINGS",
    "AGES",
    "LEAST_FREE",
    "compare",
    "open_side",
    "Comparison",
    "Change",
    "Side",
    "Verdict",
    "save_inventory",
    "load_inventory",
    "read_inventory",
    "InventoryFacts",
    "empty_folders",
    "space_tree",
    "Node",
]
