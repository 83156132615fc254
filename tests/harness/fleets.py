"""A real scheduler of the distributed engine and real workers, started by their own commands."""

import os
import re
import signal
import subprocess
import sys
import time
from pathlib import Path

_LINE = (sys.executable, "-P", "-m", "dask")
_WAIT_SECONDS = 60.0


class Fleet:
    """A scheduler at a port of this computer that was free, and its workers, each with one thread.

    Attributes
    ----------
    address
        Of the scheduler.
    """

    def __init__(self, top: Path, host: str = "127.0.0.1", *words: str) -> None:
        self.top, self.words, self.host = top, words, host
        self.workers: list[subprocess.Popen[bytes]] = []
        self.address, self._port = "", "0"
        self.start_scheduler()

    def start_scheduler(self) -> None:
        """Start the scheduler, at the port that it had before."""
        line = (*_LINE, "scheduler", "--host", self.host, "--port", self._port, "--no-dashboard", *self.words)
        self.scheduler, said = self._start(line, "scheduler", rb"Scheduler at:\s+(\S+)")
        protocol, self._port = said.partition("://")[0], said.rpartition(":")[2]
        self.address = f"{protocol}://127.0.0.1:{self._port}"

    def start_worker(self, *before: str, host: str = "127.0.0.1") -> subprocess.Popen[bytes]:
        """Start a worker, through another command if one is given, and wait until it is known.

        Parameters
        ----------
        host
            Where it listens; as it does by itself if empty.
        """
        line = (*before, *_LINE, "worker", self.address, "--nthreads", "1", "--no-nanny", "--no-dashboard")
        line = (*line, "--local-directory", str(self.top), *(["--host", host] if host else []), *self.words)
        worker, _ = self._start(line, f"worker-{len(self.workers)}", rb"Registered to:\s+(\S+)")
        self.workers.append(worker)
        return worker

    def _start(self, line: tuple[str, ...], name: str, sign: bytes) -> tuple["subprocess.Popen[bytes]", str]:
        log = self.top / f"{name}.log"
        with log.open("wb") as file:
            process = subprocess.Popen(line, stdout=file, stderr=file, cwd=self.top, start_new_session=True)
        until = time.monotonic() + _WAIT_SECONDS
        while (found := re.search(sign, log.read_bytes())) is None:
            assert process.poll() is None, log.read_text()
            assert time.monotonic() < until, log.read_text()
            time.sleep(0.05)
        return process, found[1].decode()

    def end(self) -> None:
        """End them all at once, however they are."""
        for process in (*self.workers, self.scheduler):
            if process.poll() is None:
                os.killpg(process.pid, signal.SIGKILL)
            process.wait()
