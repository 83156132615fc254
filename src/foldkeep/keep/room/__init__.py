"""Where room on a volume could come from, in order of regret."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .plan import RoomPlan, RoomStep, plan_room
    from .sources import Room

__all__ = ["plan_room", "RoomPlan", "RoomStep", "Room"]

__getattr__ = names_of(__name__, __file__)
