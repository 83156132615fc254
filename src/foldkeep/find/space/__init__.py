"""Space: where it goes."""

from .tree import Node, space_tree
from .usage import AGES, GROUPINGS, LEAST_FREE, Part, Usage, VolumeSpace, empty_folders, space, volume_spaces

__all__ = [
    "Node",
    "space_tree",
    "AGES",
    "GROUPINGS",
    "LEAST_FREE",
    "Part",
    "Usage",
    "VolumeSpace",
    "empty_folders",
    "space",
    "volume_spaces",
]
