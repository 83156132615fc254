"""How long a fold across sides waits before it is released: a program may keep both alike at intervals."""

from datetime import timedelta

from foldkeep.model import PathBytes, RunFile
from foldkeep.model.remote import side_of
from foldkeep.model.units import format_span
from foldkeep.stock import Stock
from foldkeep.storage import moment

SIDES_WAIT = timedelta(days=7)
_LEAST = timedelta(days=1)
_LEAP_NS = 600 * 1_000_000_000  # more than any clock is corrected by while it runs


class SidesWait:
    """Tells whether a fold may be released for a copy on the other side of a server yet.

    Parameters
    ----------
    stock
        A stock that is held.
    wait
        How long lies between; a day at least.
    """

    def __init__(self, stock: Stock, wait: timedelta = SIDES_WAIT) -> None:
        self._stock = stock
        self._wait = max(wait, _LEAST)
        self._known: dict[int, str] = {}

    def why_not(self, file: RunFile, witness: PathBytes) -> str:
        """Return why a file may not go yet for a witness; empty if it may: it lies on the same side, or time is up."""
        if side_of(file.place) == side_of(witness):
            return ""
        if file.run not in self._known:
            self._known[file.run] = self._why_not(file.run)
        return self._known[file.run]

    def _why_not(self, number: int) -> str:
        run = self._stock.ledger.run(number)
        if run is None:
            return ""
        now_ns, boot, since_boot_ns = moment()
        from_ns, then_boot, then_since_ns = self._stock.ledger.clock(number) or (run.started_ns, "", 0)
        passed_ns = now_ns - from_ns
        # By the clock alone nobody can tell how long the computer was off; while it runs, its own count can.
        leapt = bool(boot) and boot == then_boot and abs(since_boot_ns - then_since_ns - passed_ns) > _LEAP_NS
        days = format_span(self._wait.total_seconds())
        if leapt or passed_ns < 0:
            with self._stock.transaction():
                self._stock.ledger.set_clock(number, now_ns, boot, since_boot_ns)
            return f"the clock was set since it was folded, so the {days} until it may go begin anew"
        left = self._wait.total_seconds() - passed_ns / 1e9
        if left > 0:
            return (
                f"its copy is on the other side, and a program may still keep both alike: {days} lie between fold and"
                f" release, {format_span(left)} of them are left"
            )
        return ""
