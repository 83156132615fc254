"""Workers of a distributed engine, dask's, that see the same files: what they cannot do is done on this machine.

Nothing here depends on the engine: a job that comes back with an error, not in time or not at all is done by this
machine's own threads. Workers read; what they find is written by the one who asked.
"""

import logging
import os
import pickle
import threading
import time
from collections import Counter
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import suppress
from typing import TYPE_CHECKING, Any, Generic, TypeVar

import foldkeep
from foldkeep.model import UnusableInput, visible
from foldkeep.scan.workers import Job, Workers

from .addresses import TLS, check_address, is_guarded

if TYPE_CHECKING:
    from distributed import Client, Security

_Found = TypeVar("_Found")

_ANSWER_SECONDS = 10
_LOOK_SECONDS = 1.0
_AHEAD = 2  # jobs for each thread of a worker, so that none waits for the next one
_OPEN = "takes orders from anybody on the network"
_ADVICE = "start it with --host 127.0.0.1, or with certificates"
_STRIKES = 3  # jobs of which a worker saw nothing, or which all were late, one after the other


class Cluster(Workers):
    """A scheduler and its workers, asked through `distributed`.

    Attributes
    ----------
    room
        How many jobs they can have at a time.
    done, done_here
        How many jobs were done by them, and how many by this machine, for whatever reason.
    left_out
        Workers that are asked no more, by address, and why.
    """

    def __init__(self, address: str) -> None:
        """Connect to a scheduler.

        Raises UnusableInput if its address is neither of this computer nor ``tls://``, it does not answer, it or a
        worker can be reached from elsewhere without certificates, there is no worker, or one has another version.
        """
        self.done = self.done_here = 0
        self.left_out: dict[str, str] = {}
        self._strikes: Counter[str] = Counter()
        self._late = 0
        self._lock = threading.Lock()
        self._closed = threading.Event()
        self._under_way: set[_Spread[Any]] = set()
        self._here = ThreadPoolExecutor((os.cpu_count() or 1) + 1, thread_name_prefix="reading")
        self._client = _connected(address)
        self._threads: dict[str, int] = {}
        try:
            self._threads = _in_time(lambda: _workers_of(self._client, address))
        except BaseException as error:
            self.shutdown()
            if isinstance(error, UnusableInput) or not isinstance(error, Exception):
                raise
            why = f"the scheduler at {visible(address)} went away just now"
            raise UnusableInput(why, "see that it runs, and try again") from error
        self._watcher = threading.Thread(target=self._watch, name="cluster", daemon=True)
        self._watcher.start()

    @property
    def room(self) -> int:  # type: ignore[override]
        return _AHEAD * max(1, sum(self._threads.values()))

    def submit(self, fn: Callable[..., _Found], /, *args: Any, **kwargs: Any) -> "Future[_Found]":
        """Have something done on this machine."""
        return self._here.submit(fn, *args, **kwargs)

    def spread(self, job: Job[_Found]) -> "Future[_Found]":
        """Have a job done by a worker, or on this machine if none can."""
        spread = _Spread(job)
        able = self._able()
        call = job.away() if able and not job.is_bound else None
        if call is not None and not any(each is None for each in call.shared):
            with self._lock:
                self._under_way.add(spread)
            try:
                only = {"workers": sorted(able), "allow_other_workers": False} if self.left_out else {}
                words = pickle.dumps((call.function, call.given))  # the engine would look into each list for its own
                future = self._client.submit(_told, foldkeep.__version__, words, *call.shared, pure=False, **only)
                spread.away = future
                future.add_done_callback(lambda future: self._take(spread, future))
                return spread.future
            except Exception:  # noqa: S110 - whatever keeps the engine from taking it, this machine can do it
                pass
        self._do_here(spread)
        return spread.future

    def share(self, value: Any) -> Any:
        """Bring a value to workers; return nothing if there are none now, since then nothing is asked of them.

        It goes as a job of its own, which is done again where a worker dies that had it.
        """
        if self._able():
            with suppress(Exception):
                return self._client.submit(pickle.loads, pickle.dumps(value), pure=False)
        return None

    def _able(self) -> set[str]:
        """Return the workers that can be asked now."""
        if self._client.status != "running":
            return set()
        with self._lock:
            return self._threads.keys() - self.left_out.keys() if self._late < _STRIKES else set()

    def shutdown(self, wait: bool = True, *, cancel_futures: bool = False) -> None:  # noqa: ARG002 - what runs is left
        """Let go of the workers; what they do now counts no more."""
        self._closed.set()
        with self._lock:
            left, self._under_way = list(self._under_way), set()
        for spread in left:
            spread.future.cancel()
        self._here.shutdown(wait=False, cancel_futures=True)
        with suppress(Exception):
            self._client.close(timeout=2)

    def _take(self, spread: "_Spread[Any]", future: Any) -> None:
        """Take what a worker found; called by a thread of the engine, which must not wait."""
        try:
            address, why_not, answer = future.result() if future.status == "finished" else ("", "", b"")
            if why_not:
                self.left_out[address] = why_not
            found = pickle.loads(answer) if answer else None  # noqa: S301 - the engine has unpickled it already
        except Exception:
            address, found = "", None
        future.release()
        spread.away = None
        if found is not None and not self._sees(address, spread.job, found):
            found = None
        self._do_here(spread, found)

    def _sees(self, address: str, job: Job[Any], found: Any) -> bool:
        """Tell whether a worker saw anything of what it was asked of; one that never does is asked no more."""
        try:
            is_blind = job.is_blind(found)
        except Exception:  # it makes no sense
            is_blind = True
        with self._lock:
            self._late = 0  # a sign of life, however late
            self._strikes[address] = self._strikes[address] + 1 if is_blind else 0
            if self._strikes[address] >= _STRIKES:
                self.left_out[address] = "sees none of these files"
        return not is_blind

    def _do_here(self, spread: "_Spread[Any]", found: Any = None) -> None:
        """Complete a job by a thread of this machine, unless that was begun."""
        with self._lock:
            self._under_way.discard(spread)
            if spread.is_taken or self._closed.is_set():
                return
            spread.is_taken = True
            self.done += found is not None
            self.done_here += found is None
        with suppress(RuntimeError):  # it was shut down: nobody waits for it
            self._here.submit(spread.complete, found)

    def _watch(self) -> None:
        """Do here what takes too long elsewhere, and see which workers come and go."""
        while not self._closed.wait(_LOOK_SECONDS):
            now = time.monotonic()
            with self._lock:
                late = [spread for spread in self._under_way if spread.until < now]
                self._late += len(late)
            for spread in late:
                self._do_here(spread)
            with suppress(Exception):
                threads = _threads_of(self._client, _LOOK_SECONDS)
                with self._lock:
                    self._threads = threads
                    forsaken = [] if threads else list(self._under_way)
                for spread in forsaken:  # it would wait for workers that may never come
                    self._do_here(spread)


class _Spread(Generic[_Found]):
    """A job that was handed out: whoever takes it first completes it."""

    def __init__(self, job: Job[_Found]) -> None:
        self.job = job
        self.until = time.monotonic() + job.seconds
        self.future: Future[_Found] = Future()
        self.is_taken = False
        self.away: Any = None  # an engine's future that nobody refers to is given up

    def complete(self, found: Any) -> None:
        """Complete it on this machine by what a worker found, or do all of it."""
        if not self.future.set_running_or_notify_cancel():
            return
        try:
            try:
                done = self.job.here(found)
            except Exception:
                if found is None:
                    raise
                done = self.job.here()  # what was found makes no sense
        except BaseException as error:
            self.future.set_exception(error)
        else:
            self.future.set_result(done)


def _connected(address: str) -> "Client":
    """Connect to a scheduler; raise UnusableInput if it may not be asked, or does not answer."""
    address = check_address(address)
    try:
        import dask
        from distributed import Client, Security

        # Prints of many are meant to be large.
        dask.config.set({"distributed.admin.large-graph-warning-threshold": "1TB"})
        security = Security(require_encryption=address.startswith(TLS))
    except ImportError:
        raise
    except Exception as error:  # it reads settings of its own, and raises anything
        raise UnusableInput(f"the engine's settings cannot be used: {visible(str(error))}", "mend them") from error
    for name in [*logging.root.manager.loggerDict]:  # what went wrong is told in our words
        if name.startswith(("distributed", "tornado")):
            logging.getLogger(name).setLevel(logging.CRITICAL + 1)
    if address.startswith(TLS):
        _check_certificates(security)

    class Closed(Client):
        """A client that is closed by us alone: one that never was connected would wait for that, and complain."""

        def __del__(self) -> None:
            pass

    def connect() -> Client:
        client: Client = Closed(  # type: ignore[no-untyped-call]
            address, security=security, timeout=_ANSWER_SECONDS, set_as_default=False, name="foldkeep"
        )
        return client

    try:
        return _in_time(connect)
    except Exception as error:  # of a certificate that cannot be read, of a port that something else answers at
        why = f"the scheduler at {visible(address)} does not answer, or not as one does"
        raise UnusableInput(why, "start one: dask scheduler --host 127.0.0.1") from error


def _in_time(ask: Callable[[], _Found]) -> _Found:
    """Return what asking gives; TimeoutError if that takes too long, as where something else answers at a port."""
    answer: Future[_Found] = Future()

    def run() -> None:
        try:
            answer.set_result(ask())
        except BaseException as error:
            answer.set_exception(error)

    # Nothing waits for such a thread at the end of the process.
    threading.Thread(target=run, name="connecting", daemon=True).start()
    return answer.result(timeout=2 * _ANSWER_SECONDS)


def _check_certificates(security: "Security") -> None:
    names = {"tls_ca_file": "ca-file", "tls_client_cert": "client.cert", "tls_client_key": "client.key"}
    for word, name in names.items():
        path = getattr(security, word)
        if not path or not os.path.isfile(path):
            why = f"tls:// is asked with certificates, and the engine's settings name no {name} that is there"
            raise UnusableInput(why, f"set distributed.comm.tls.{name} there")


def _workers_of(client: "Client", address: str) -> dict[str, int]:
    """Return how many threads each worker has; raise UnusableInput if they cannot do what is asked of them."""
    try:
        client.wait_for_workers(1, timeout=_ANSWER_SECONDS)
    except Exception as error:
        host = "" if address.startswith(TLS) else " --host 127.0.0.1"
        advice = f"start some: dask worker {visible(address)} --nthreads 1 --nworkers auto{host}"
        raise UnusableInput(f"the scheduler at {visible(address)} has no workers", advice) from error
    # By the address under which they are known it cannot be told: workers listen to the whole network by themselves.
    listening = client.run_on_scheduler(_listens_at)
    if not is_guarded(listening):
        raise UnusableInput(f"the scheduler at {visible(listening)} {_OPEN}", _ADVICE)
    for each, why_not in client.run(_why_not, foldkeep.__version__, on_error="return").items():
        if why_not:
            said = why_not if isinstance(why_not, str) else f"cannot load Fold Keep {foldkeep.__version__}"
            advice = _ADVICE if said == _OPEN else f"install Fold Keep {foldkeep.__version__} there"
            raise UnusableInput(f"the worker at {visible(each)} {said}", advice)
    return _threads_of(client)


def _threads_of(client: "Client", seconds: float = _ANSWER_SECONDS) -> dict[str, int]:
    return dict(client.nthreads(callback_timeout=seconds))


def _listens_at(dask_scheduler: Any) -> str:
    """Return where a scheduler listens; done there."""
    return str(dask_scheduler.listen_address)


def _why_not(version: str, dask_worker: Any) -> str:
    """Return why a worker is not asked; done there."""
    if version != foldkeep.__version__:
        return f"has Fold Keep {foldkeep.__version__}"
    return "" if is_guarded(dask_worker.listen_address) else _OPEN


def _told(version: str, words: bytes, *shared: Any) -> tuple[str, str, bytes]:
    """Do something on a worker; return its address, why it was not done, and what came of it, pickled."""
    from distributed import get_worker

    worker = get_worker()
    if why_not := _why_not(version, worker):
        return worker.address, why_not, b""
    function, given = pickle.loads(words)  # noqa: S301 - of whom the engine takes orders from
    return worker.address, "", pickle.dumps(function(*shared, *given))
