"""Looking into places behind a network or another program, in a process that may hang there and nowhere else.

The helper is asked one thing at a time and answers bit by bit: a folder, some bytes read, what came of a file. One
that says nothing for a while is ended, and the place counts as silent for the rest of the scan.
"""

import os
import pickle
import select
import struct
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import suppress
from itertools import groupby
from typing import Any

from foldkeep.model import PathBytes, Problem
from foldkeep.model.names import lies_below
from foldkeep.stock import Reading
from foldkeep.storage.local.drives import ANSWER_SECONDS

from .reading import Meter, Outcome, read_ends, read_whole
from .skip_rules import Looking
from .walk import Entries, Listing, walk

Work = Callable[[Reading, Meter], Outcome]

NO_ANSWER = "the share or program behind it does not answer; what is known of it stays"
_LENGTH = struct.Struct(">I")
_PIPE = 64 * 1024
_TELL_SECONDS = 0.5
_WORKS: dict[str, Work] = {"ends": read_ends, "whole": read_whole}
_TOLD_AT_ONCE = 64


class Silent(OSError):
    """The helper said nothing for as long as it may."""


class FarPlaces:
    """The places of a scan that are looked into by helpers, one a thread.

    Attributes
    ----------
    silent
        Paths of those that did not answer; nothing more is asked of them.
    """

    def __init__(self) -> None:
        self._tops: set[PathBytes] = set()
        self.silent: set[PathBytes] = set()
        self._helpers = Helpers()

    def add(self, top: PathBytes) -> None:
        """Have a place looked into by helpers from now on."""
        self._tops.add(top)

    def top_of(self, path: PathBytes) -> PathBytes | None:
        """Return the path of the far place that a file lies in; None if it is near."""
        return next((top for top in self._tops if path == top or lies_below(path, top)), None)

    def walk(self, top: PathBytes, looking: Looking) -> Iterator[Listing]:
        """Yield the listings of a place as `walk` does; the last is one that tells of silence, if it fell silent."""
        try:
            for told in self._helpers.own().ask(("walk", top, looking.settings, looking.asked, looking.apart)):
                if isinstance(told, Listing):
                    yield told
        except Silent:
            self.silent.add(top)
            yield Listing(top, complete=False, problems=[Problem(top, NO_ANSWER)])

    def read(self, work: Work, readings: list[Reading], meter: Meter) -> list[Outcome]:
        """Read files, those of far places by a helper; what does not answer is a problem of the file."""
        outcomes: list[Outcome] = []
        for top, group in groupby(readings, lambda reading: self.top_of(reading.path)):
            wanted = list(group)
            if top is None:
                outcomes += [work(reading, meter) for reading in wanted]
                continue
            answered = self._read_afar(work, wanted, meter, top)
            outcomes += answered
            outcomes += [Outcome(reading, problem=NO_ANSWER) for reading in wanted[len(answered) :]]
        return outcomes

    def _read_afar(self, work: Work, readings: list[Reading], meter: Meter, top: PathBytes) -> list[Outcome]:
        """Return what came of the files that were read until the place fell silent, if it did."""
        outcomes: list[Outcome] = []
        if top not in self.silent:
            try:
                for told in self._helpers.own().ask((name_of(work), readings)):
                    if isinstance(told, Outcome):
                        outcomes.append(told)
                    else:
                        meter.add(told)
            except Silent:
                self.silent.add(top)
        return outcomes

    def close(self) -> None:
        """End all helpers."""
        self._helpers.close()


def name_of(work: Work) -> str:
    """Return what helpers call a kind of reading."""
    return next(name for name, known in _WORKS.items() if known is work)


def work_of(name: str) -> Work:
    """Return the kind of reading that helpers call so."""
    return _WORKS[name]


class Helpers:
    """Helpers, one a thread; started when they are asked."""

    def __init__(self) -> None:
        self._own = threading.local()
        self._all: list[_Helper] = []

    def own(self) -> "_Helper":
        """Return the helper of this thread."""
        helper: _Helper | None = getattr(self._own, "helper", None)
        if helper is None:
            helper = self._own.helper = _Helper()
            self._all.append(helper)
        return helper

    def close(self) -> None:
        """End them all."""
        for helper in self._all:
            helper.end()


class _Helper:
    """One process that looks and reads; started when it is asked."""

    def __init__(self) -> None:
        self._process: subprocess.Popen[bytes] | None = None
        self._lock = threading.Lock()

    def ask(self, question: tuple[Any, ...]) -> Iterator[Any]:
        """Yield the answers to a question as they come; Silent if none comes for too long."""
        process = self._process or self._start()
        assert process.stdin is not None
        assert process.stdout is not None
        try:
            pickle.dump(question, process.stdin)
            process.stdin.flush()
        except OSError as error:
            self.end()
            raise Silent from error
        pending = b""
        while True:
            while len(pending) < 4 or len(pending) < 4 + _LENGTH.unpack_from(pending)[0]:
                ready, _, _ = select.select([process.stdout], [], [], ANSWER_SECONDS)
                part = os.read(process.stdout.fileno(), _PIPE) if ready else b""
                if not part:
                    self.end()
                    raise Silent
                pending += part
            (length,) = _LENGTH.unpack_from(pending)
            told, pending = pickle.loads(pending[4 : 4 + length]), pending[4 + length :]
            if told is None:
                return
            yield told

    def _start(self) -> "subprocess.Popen[bytes]":
        # -P: no module may be taken from the folder that the user happens to work in.
        line = [sys.executable, "-P", "-m", __spec__.name]
        self._process = subprocess.Popen(
            line, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, start_new_session=True
        )
        return self._process

    def end(self) -> None:
        """End the process; one that hangs in the system is not waited for."""
        with self._lock:
            process, self._process = self._process, None
        if process is None:
            return
        process.kill()
        for stream in (process.stdin, process.stdout):
            with suppress(OSError):
                stream.close()  # type: ignore[union-attr]
        with suppress(subprocess.TimeoutExpired):
            process.wait(1)


class _TellingMeter(Meter):
    """Tells the parent now and then how much was read."""

    __slots__ = ("_tell", "_told")

    def __init__(self, tell: Callable[[Any], None]) -> None:
        super().__init__()
        self._tell, self._told = tell, time.monotonic()

    def add(self, size: int) -> None:
        self.bytes += size
        if time.monotonic() - self._told > _TELL_SECONDS:
            self._tell(self.bytes)
            self.bytes, self._told = 0, time.monotonic()


def _told(entries: Entries, tell: Callable[[Any], None]) -> Entries:
    """Yield entries, and tell now and then that they come: a folder of very many takes long over a network."""
    told = time.monotonic()
    for entry in entries:
        if time.monotonic() - told > _TELL_SECONDS:
            tell(0)
            told = time.monotonic()
        yield entry


def _serve() -> None:
    """Be the helper: answer until there are no more questions."""
    answers = os.dup(1)
    os.dup2(2, 1)

    def tell(told: Any) -> None:
        text = pickle.dumps(told)
        data = _LENGTH.pack(len(text)) + text
        while data:
            data = data[os.write(answers, data) :]

    with suppress(EOFError):
        while True:
            what, *rest = pickle.load(sys.stdin.buffer)
            if what == "walk":
                top, *parts = rest
                for listing in walk(top, Looking(*parts), lambda entries: _told(entries, tell)):
                    tell(listing)
            elif what == "many":
                work, files = _WORKS[rest[0]], rest[1]
                for at in range(0, len(files), _TOLD_AT_ONCE):
                    tell([work(Reading(*file), Meter())[1:] for file in files[at : at + _TOLD_AT_ONCE]])
            else:
                meter = _TellingMeter(tell)
                for reading in rest[0]:
                    tell(_WORKS[what](reading, meter))
            tell(None)


if __name__ == "__main__":
    _serve()
