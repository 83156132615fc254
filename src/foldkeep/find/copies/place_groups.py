"""Groups of places whose copies are each other's spares."""

import re
from collections.abc import Collection, Iterable, Iterator, Mapping, Set
from typing import NamedTuple

from foldkeep.model import Place, Role
from foldkeep.model.names import visible
from foldkeep.model.remote import is_remote, server_of
from foldkeep.stock import Stock


class PlaceGroup(NamedTuple):
    """Places that are compared as one.

    Attributes
    ----------
    role
        The role that they have in common; None where places of all roles are compared.
    server
        The address of the server that all lie on, by themselves; empty for the others.
    places
        Their numbers.
    """

    role: Role | None
    server: bytes
    places: frozenset[int]

    @property
    def suffix(self) -> str:
        """What names of sets among these places end in, so that each set has a name of its own."""
        role = "" if self.role in (None, Role.WORKING) else f"-{self.role}"
        return role + ("-" + re.sub(r"[^\w.-]+", "-", visible(self.server)) if self.server else "")


class Others(NamedTuple):
    """Places outside a group that have a content of it too.

    Attributes
    ----------
    backed_up
        Labels of those whose copies are surely others.
    mirrored
        Labels of those that a program may keep like the places of the group, so that both are one copy.
    """

    backed_up: tuple[str, ...] = ()
    mirrored: tuple[str, ...] = ()


class PlaceGroups:
    """The places of a stock in groups: by role, unless all are to be compared, the working ones first.

    Places on a server are in a group of their own until the user has said of each that no program keeps it like one
    of those on this machine in the group: what goes from one side might go from the other by that.
    """

    def __init__(self, stock: Stock, *, across: bool) -> None:
        self.places = stock.places.by_id()
        self._apart = {
            number: frozenset(at for at, other in self.places.items() if stock.places.are_separate(place, other))
            for number, place in self.places.items()
        }
        roles = [None] if across else sorted({place.role for place in self.places.values()}, reverse=True)
        self._groups = [group for role in roles for group in self._of_role(role)]
        self._group_of = {number: group for group in self._groups for number in group.places}

    def _of_role(self, role: Role | None) -> Iterator[PlaceGroup]:
        places = [place for place in self.places.values() if role in (None, place.role)]
        common: set[int] = set()
        alone: dict[bytes, set[int]] = {}
        for place in sorted(places, key=lambda place: (is_remote(place.path), place.path)):
            if common <= self._apart[place.id]:
                common.add(place.id)
            else:
                alone.setdefault(server_of(place.path), set()).add(place.id)
        if common:
            yield PlaceGroup(role, b"", frozenset(common))
        for server, numbers in alone.items():
            yield PlaceGroup(role, server, frozenset(numbers))

    def __iter__(self) -> Iterator[PlaceGroup]:
        return iter(self._groups)

    def __len__(self) -> int:
        return len(self._groups)

    def __getitem__(self, number: int) -> PlaceGroup:
        return self._groups[number]

    def of(self, place: Place) -> PlaceGroup:
        """Return the group of a place."""
        return self._group_of[place.id]

    def others(self, having: Iterable[int], places: Collection[int], group: PlaceGroup) -> Others:
        """Return those places `having` a content that are not of the group in whose `places` it lies."""
        backed_up: list[str] = []
        mirrored: list[str] = []
        for number in set(having) - group.places:
            (backed_up if self._apart[number].issuperset(places) else mirrored).append(self.places[number].label)
        return Others(tuple(sorted(backed_up)), tuple(sorted(mirrored)))

    def second_sides(self) -> Iterator[tuple[frozenset[int], frozenset[int]]]:
        """Yield working places, with those of other roles whose copies are surely others than theirs."""
        working = frozenset(number for number, place in self.places.items() if place.role is Role.WORKING)
        return _sides({number: working & self._apart[number] for number in self.places.keys() - working})

    def unsure_sides(self) -> Iterator[tuple[frozenset[int], frozenset[int]]]:
        """Yield places that a program may keep alike, on either side."""
        return _sides({number: self.places.keys() - apart for number, apart in self._apart.items()})

    def unsure_pair(self) -> tuple[Place, Place] | None:
        """Return two places that a program may keep alike, the one on this machine first; None if there are none."""
        for places, others in self.unsure_sides():
            pair = self.places[min(places)], self.places[min(others)]
            return pair if is_remote(pair[1].path) else pair[::-1]
        return None


def _sides(known: Mapping[int, Set[int]]) -> Iterator[tuple[frozenset[int], frozenset[int]]]:
    """Yield what places have in common, and those that have it; nothing is left out."""
    sides: dict[frozenset[int], set[int]] = {}
    for number, places in known.items():
        sides.setdefault(frozenset(places), set()).add(number)
    yield from ((places, frozenset(others)) for places, others in sides.items() if places)
