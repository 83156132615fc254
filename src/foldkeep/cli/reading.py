"""Reading contents for commands that need more of them than a scan has read."""

from contextlib import contextmanager
from typing import TYPE_CHECKING

from .options import Option, Takes

if TYPE_CHECKING:
    from argparse import Namespace
    from collections.abc import Collection, Iterator, Sequence
    from concurrent.futures import Executor

    from foldkeep.model import Place, Problem, Progress
    from foldkeep.model.vouchers import Voucher
    from foldkeep.scan.workers import Workers
    from foldkeep.stock import Stock

    from .environment import Environment

_AT_ONCE_AFAR = 12
CLUSTER = Option(
    "--cluster",
    "have workers of a dask scheduler read too: tls://HOST:PORT, or on this computer tcp://127.0.0.1:PORT",
    Takes.WORD,
    "ADDRESS",
    rare=True,
)


def same_of(args: "Namespace", env: "Environment") -> "frozenset[str]":
    """Return what copies must agree in, by the command line or the settings; raise UnusableInput for what cannot be."""
    from foldkeep.model import UnusableInput

    same = frozenset((args.same or env.settings(args).settings.same).split(","))
    if "essence" in same and not same <= {"content", "essence"}:
        raise UnusableInput("essences are compared alone, or with contents", "say --same essence, or content,essence")
    if "decoded" in same and len(same) > 1:
        raise UnusableInput("what files decode to is compared alone", "say --same decoded")
    return same


@contextmanager
def workers(args: "Namespace", env: "Environment") -> "Iterator[Workers | None]":
    """Connect to the scheduler that ``--cluster`` names, None without; say at the end what its workers did."""
    if not args.cluster:
        yield None
        return
    from foldkeep.engine import Cluster
    from foldkeep.model import visible
    from foldkeep.model.extras import need
    from foldkeep.show.page import count

    need("fleet")
    cluster = Cluster(args.cluster)
    try:
        yield cluster
    finally:
        cluster.shutdown()
        if not args.quiet and (done := cluster.done + cluster.done_here):
            rest = ", this machine the rest" if cluster.done_here else ""
            env.stderr.write(f"Workers did {cluster.done:,} of {count(done, 'job')}{rest}.\n")
        for address, why in sorted(cluster.left_out.items()):
            env.stderr.write(f"The worker at {visible(address)} {why}, and was asked no more.\n")


@contextmanager
def readers(places: "Collection[Place]", cluster: "Workers | None" = None) -> "Iterator[Executor]":
    """Run what reads contents of places: a thread a processor, and one more that waits for the disk.

    Of what lies on servers as many are read at a time as these may answer at once.
    """
    if cluster:
        yield cluster
        return
    import os
    from concurrent.futures import ThreadPoolExecutor

    from foldkeep.model.remote import is_remote

    count = _AT_ONCE_AFAR if any(is_remote(place.path) for place in places) else (os.cpu_count() or 1) + 1
    executor = ThreadPoolExecutor(count, thread_name_prefix="reading")
    try:
        yield executor
    finally:
        executor.shutdown(wait=False, cancel_futures=True)


def look_for_same(stock: "Stock", same: str, kinds: "Collection[str]", progress: "Progress") -> "list[Problem]":
    """Ask what is here for its essence, or for what it decodes to, as far as others may have the same.

    Return what could not be read now.

    Parameters
    ----------
    same
        ``essence`` or ``decoded``.
    """
    from foldkeep.scan import places_here, read_shared
    from foldkeep.signals import MEDIA
    from foldkeep.signals.decoded import find_decoded, make_forms
    from foldkeep.signals.essences import find_essences, make_outlines
    from foldkeep.stock import Shared

    here, asked = places_here(stock), MEDIA.intersection(kinds or MEDIA)
    if same == "essence":
        with stock.hold(same):
            return make_outlines(stock, here, asked, progress) + find_essences(stock, here, progress)
    with readers(()) as executor, stock.hold(same):
        problems = make_forms(stock, here, asked, progress)
        problems += read_shared(stock, Shared.FORM, executor, progress).problems
        problems += find_decoded(stock, here, progress)
    return problems


def read_vouchers(stock: "Stock", paths: "Sequence[str]") -> "list[Voucher]":
    """Read vouchers that machines signed whose keys are known; raise UnusableInput for one that none of them did."""
    from foldkeep.formats.signed import read_voucher

    return [read_voucher(path, stock.machine.key_of) for path in paths]
