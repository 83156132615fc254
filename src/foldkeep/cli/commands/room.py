"""Plan how to make room on a volume, with the least regret.

Steps come in order of regret, each with what it frees and how that can be had
again: what waits in folds for long; the desktop's bins; what can
be made again and nobody uses; spares; other regenerables; what decodes to the
same as something that stays; quiet projects; large old files that are safe on
two other volumes. The plan stops when there is enough. Nothing is changed: -o
writes a docket for each step, to look at and carry out one by one.
"""

import argparse
from typing import TYPE_CHECKING

from ..environment import Environment, ExitStatus
from ..options import PROJECTS, Option, Takes, projects_of, recipes_of

if TYPE_CHECKING:
    from foldkeep.find.space import VolumeSpace
    from foldkeep.keep.room import RoomPlan
    from foldkeep.stock import Stock

EXAMPLES = """\
examples:
  foldkeep room 50GB
  foldkeep room --until-free 15% --volume edit-disk -o plan
"""


OPTIONS = (
    Option("size", "how much is to come free: 50GB", Takes.SIZE, "SIZE", optional=True),
    Option("--until-free", "make room until that part of the volume is free: 15%%", Takes.PORTION, "PERCENT"),
    Option(
        "--volume",
        "make room on this one, or on that of a place (else the one with the least room)",
        Takes.PLACE,
        "VOLUME|PLACE",
        former=("--on",),
    ),
    Option("-o", "write a docket for each step into this folder, which is made", Takes.FOLDER, "DIR", to="dockets"),
    *PROJECTS,
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Plan, tell, write."""
    from foldkeep.keep import Wishes
    from foldkeep.keep.room import Room, plan_room
    from foldkeep.model import Filter, UnusableInput
    from foldkeep.model.units import parse_age
    from foldkeep.show.answers.room import RoomAnswer
    from foldkeep.stock import Stock

    if (args.size is None) == (args.until_free is None):
        raise UnusableInput("how much room is to be made is not said", "name a size, as in 50GB, or --until-free 15%")
    settings = env.settings(args).settings
    with Stock.open(env.stock_path(args)) as stock:
        env.follow_drives(stock)
        volume, top = _volume(stock, args.volume)
        wanted = args.size if args.size is not None else max(0, round(volume.total * args.until_free) - volume.free)
        with env.progress(args) as progress:
            room = Room(
                stock, volume.volume.id, top, recipes_of(args, env), projects_of(args, env, stock),
                stock.catalogs.all(), Wishes.after(settings, Filter()), env.user_cache(), env.data_home(),
                parse_age(settings.quiet_after), parse_age(settings.release_after), progress=progress,
            )  # fmt: skip
            plan = plan_room(room, wanted)
        written = _write(args.dockets, plan) if args.dockets else []
        answer = env.with_user_cache(RoomAnswer(plan, volume, written), stock)
    env.answer(args, answer)
    return ExitStatus.PROBLEMS if plan.missing else ExitStatus.DONE


def _volume(stock: "Stock", name: str | None) -> "tuple[VolumeSpace, bytes]":
    """Return the volume that is meant, with a place on it that is here; without a name, the one with the least room."""
    from foldkeep.find.space import volume_spaces
    from foldkeep.model import UnusableInput, visible
    from foldkeep.scan import find_place, places_here

    here = places_here(stock)
    places = {place.volume: place for place in reversed(stock.places.all()) if place.id in here}
    spaces = volume_spaces(stock)
    if name is None:
        found = min(spaces, key=lambda each: each.free / max(1, each.total), default=None)
    else:
        found = next((each for each in spaces if name in (each.volume.name, each.volume.key)), None)
        if found is None:
            number = find_place(stock, name).volume
            found = next((each for each in spaces if each.volume.id == number), None)
    if found is None:
        what = visible(name) if name else "every place"
        raise UnusableInput(f"the drive of {what} is away", "connect it; see foldkeep places")
    return found, places[found.volume.id].path


def _write(folder: str, plan: "RoomPlan") -> list[str]:
    """Write a docket for each step into a folder; return where they are."""
    import os

    from foldkeep.keep import write_docket
    from foldkeep.model import UnusableInput, visible
    from foldkeep.model.work import reason_of

    try:
        os.makedirs(folder, exist_ok=True)
    except OSError as error:
        raise UnusableInput(
            f"cannot write into {visible(folder)}: {reason_of(error)}", "name another folder"
        ) from error
    return [
        write_docket(os.path.join(folder, f"{number}-{step.source.word}.csv"), step.rows)
        for number, step in enumerate(plan.steps, start=1)
    ]
