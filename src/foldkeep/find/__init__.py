"""Questions put to the stock, one module a question."""

from .catalogs.catalog_files import Known, RootMap, descriptions, folders_of, known_files, uses
from .catalogs.orphans import LeftOver, Missing, Orphans, Standing, Twice, Unknown, orphans
from .catalogs.repair import mended
from .catalogs.thumbnails import StaleThumbnail
from .compare.comparison import Change, Comparison, Side, Verdict, compare, open_side
from .compare.inventories import InventoryFacts, load_inventory, read_inventory, save_inventory
from .copies.copy_state import Look, look
from .copies.details import Details, KnownCopy, details
from .copies.duplicates import Duplicates, Overview, Question, Totals, duplicates
from .copies.folders import FolderFacts, FolderMatch, Relation, compare_folders
from .derived import Batch, Caches, Measures, Regenerable
from .derived.cache_selection import Wish, caches
from .derived.caches import all_caches, explain_cache
from .projects.lending import Lending, lending
from .projects.project_folders import ProjectFolders, package_folders
from .projects.project_references import UsesOfAll
from .projects.projects import PARTS, Activity, Project, projects
from .space.tree import Node, space_tree
from .space.usage import AGES, GROUPINGS, LEAST_FREE, Part, Usage, VolumeSpace, empty_folders, space, volume_spaces

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
