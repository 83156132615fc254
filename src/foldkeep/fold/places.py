"""Which places are held while something is changed, so that two Fold Keeps never change the same files."""

import os
from collections.abc import Iterable, Iterator
from contextlib import ExitStack, contextmanager, suppress

from foldkeep.model import PathBytes, UnusableInput
from foldkeep.model.names import FOLD_NAME, folders_above, innermost, lies_below
from foldkeep.model.remote import is_remote
from foldkeep.model.work import reason_of
from foldkeep.stock import Stock
from foldkeep.storage import storage_at
from foldkeep.storage.local.drives import hold_places, mark_of, new_mark, write_mark
from foldkeep.storage.remote import hold_remote_places


@contextmanager
def hold_around(
    stock: Stock | None,
    places: Iterable[PathBytes],
    work: str,
    *,
    witnesses: Iterable[PathBytes] = (),
    break_lock: bool = False,
) -> Iterator[None]:
    """Hold places, those around and within them, and those that witnesses and targets lie in.

    Parameters
    ----------
    stock
        Tells which places there are; None where only folds on the disk tell.
    witnesses
        Paths of files that vouch for others, or are to be made.

    Raises
    ------
    PlaceBusy
        If somebody else holds one of them.
    """
    wanted = set(places)
    known = {place.path for place in stock.places.all()} if stock else set()
    folders = {os.path.dirname(path) for path in witnesses}
    wanted |= {found for folder in folders if (found := innermost(known, folder, itself=True))}
    for place in list(wanted):
        wanted |= {other for other in known if lies_below(other, place) or lies_below(place, other)}
        wanted |= {above for above in _above(place) if os.path.isdir(os.path.join(above, FOLD_NAME))}
    here = [place for place in wanted if not is_remote(place) and os.path.isdir(place)]
    with ExitStack() as held:
        held.enter_context(hold_places(here, work, break_lock=break_lock))
        try:
            held.enter_context(hold_remote_places(filter(is_remote, wanted), work, break_lock=break_lock))
        except OSError as error:
            raise UnusableInput(
                f"cannot work on the server: {reason_of(error)}", "see to it, and try again; nothing was changed"
            ) from error
        yield


def _above(place: PathBytes) -> Iterable[PathBytes]:
    """Return the folders above a place that may have a fold; on a server only places that are known do."""
    return () if is_remote(place) else folders_above(place)


def mark_places(stock: Stock, paths: Iterable[PathBytes]) -> None:
    """Write into the folds of places which place each is, and try out once what its volume can do.

    Where that cannot be written nothing else can, which is said elsewhere.
    """
    wanted = set(paths)
    volumes = stock.places.volumes()
    for place in stock.places.all():
        if place.path not in wanted or is_remote(place.path):
            continue
        mark = place.mark or mark_of(place.path) or new_mark()
        can = None
        with suppress(OSError):
            write_mark(place.path, mark, stays=False)
            if volumes[place.volume].capabilities is None:
                can = storage_at(place.path).capabilities_of(os.path.join(place.path, FOLD_NAME))
        with stock.transaction():
            stock.places.change(place._replace(mark=mark))
            if can:
                stock.places.set_capabilities(place.volume, can)
