"""Space: where it goes."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .tree import Node, space_tree
    from .usage import (
        AGES,
        GROUPINGS,
        LEAST_FREE,
        Part,
        ServerSpace,
        Usage,
        VolumeSpace,
        empty_folders,
        server_spaces,
        space,
        volume_spaces,
    )
    from .user_cache import UserCache, look_into_user_cache

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
    "ServerSpace",
    "server_spaces",
    "UserCache",
    "look_into_user_cache",
]

__getattr__ = names_of(__name__, __file__)
