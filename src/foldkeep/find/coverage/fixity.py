"""What has rotted: contents read again, and where each that is not what it was is still good."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, NamedTuple

from foldkeep.model import Progress, StockFile, no_progress
from foldkeep.scan.fixity import FixityReport, Reread, read_again
from foldkeep.scan.workers import Workers
from foldkeep.stock import Archived, Due, Stock

from .inventories import Cupboard, contents_of, held_in

if TYPE_CHECKING:
    from foldkeep.signals import Apart


@dataclass(frozen=True, slots=True)
class GoodCopies:
    """Where a content lies that a file had: files in places, packages, and inventories of drives in the cupboard."""

    files: tuple[StockFile, ...] = ()
    packages: tuple[tuple[Archived, bytes], ...] = ()
    inventories: tuple[Cupboard, ...] = ()

    def __bool__(self) -> bool:
        return bool(self.files or self.packages or self.inventories)


class Damage(NamedTuple):
    """A file that is not what it was, and the good copies of what it was."""

    found: Reread
    good: GoodCopies


@dataclass
class Fixity:
    """What reading again has shown.

    Attributes
    ----------
    damaged
        What a medium no longer gives as it was written.
    changed
        What is another content, of which it cannot be told whether somebody wrote it.
    """

    report: FixityReport
    damaged: list[Damage] = field(default_factory=list)
    changed: list[Damage] = field(default_factory=list)


def check_fixity(
    stock: Stock,
    places: Collection[int],
    progress: Progress = no_progress,
    *,
    seconds: float | None = None,
    portion: float = 1.0,
    inventories: Sequence[str] = (),
    workers: Workers | None = None,
) -> Fixity:
    """Read the files of places again, and look up good copies of what is not as it was; see `read_again`.

    Raises UnusableInput if one of the inventories is no whole one; nothing was read then.
    """
    for path in inventories:
        for _ in contents_of(path):
            pass  # to its end, which tells whether it is whole
    # Nobody who asks for anything else here has to wait for what reads media.
    from foldkeep.signals import Apart

    helper = Apart()
    try:
        report = read_again(
            stock, places, lambda due, path: _is_edit(stock, helper, due, path), progress,
            seconds=seconds, portion=portion, workers=workers,
        )  # fmt: skip
    finally:
        helper.close()
    found = [*report.damaged, *report.changed]
    cupboards = held_in(inventories, {each.check.expected for each in found})
    return Fixity(
        report,
        [_damage(stock, each, cupboards) for each in report.damaged],
        [_damage(stock, each, cupboards) for each in report.changed],
    )


def good_copies(stock: Stock, digest: bytes, but_for: bytes, cupboards: dict[bytes, list[Cupboard]]) -> GoodCopies:
    """Return where a content lies besides one path, as the stock and inventories know it."""
    if not digest:
        return GoodCopies()
    damaged = stock.checks.damaged()
    files = [file for file in stock.listing.of_digest(digest) if file.path != but_for and file.path not in damaged]
    return GoodCopies(tuple(files), tuple(stock.archives.holding(digest)), tuple(cupboards.get(digest, ())))


def _damage(stock: Stock, found: Reread, cupboards: dict[bytes, list[Cupboard]]) -> Damage:
    return Damage(found, good_copies(stock, found.check.expected, found.due.path, cupboards))


def _is_edit(stock: Stock, helper: "Apart", due: Due, path: bytes) -> bool:
    """Tell whether a file has the essence that is known of the content it had: then somebody wrote words into it."""
    from foldkeep.signals import NotRead
    from foldkeep.signals.essences import ESSENCE

    if due.digest is None or due.kind not in ESSENCE.kinds:
        return False
    known = stock.signals.of(due.digest, ESSENCE.name, ESSENCE.version)
    essence = known.values.get("essence") if known else None
    if not essence:
        return False
    try:
        return bool(helper.essence(path, due.size).get("essence") == essence)
    except NotRead:
        return False
