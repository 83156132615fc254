"""Where room on a volume could come from, in order of regret."""

from .plan import RoomPlan, RoomStep, plan_room
from .sources import Room

__all__ = ["plan_room", "RoomPlan", "RoomStep", "Room"]
