"""Servers on this machine: our own cloud, and two that nobody here wrote; and one that means ill."""

import contextlib
import os
import shutil
import socket
import socketserver
import subprocess
import threading
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import pytest

from foldkeep.demo.cloud import Cloud, CloudOptions

_MODULES = "/usr/lib/apache2/modules"


@dataclass(frozen=True)
class Served:
    """A folder that a server shows, and under which address.

    Attributes
    ----------
    has_tags
        Whether it has entity tags and honours conditions on them.
    tags_by_time
        Whether its tags are of size and time: a program on the server that puts both back is not seen by them.
    """

    url: str
    folder: Path
    has_tags: bool = True
    tags_by_time: bool = False
    cloud: Cloud | None = None

    def write(self, name: str | bytes, content: bytes, modified: int = 1_750_000_000) -> Path:
        path = Path(os.fsdecode(os.path.join(os.fsencode(self.folder), os.fsencode(name))))
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(content)
        os.utime(path, (modified, modified))
        for each in (path, *path.parents):
            if each == self.folder.parent:
                break
            each.chmod(0o777)
        return path


def free_port() -> int:
    with contextlib.closing(socket.socket()) as free:
        free.bind(("127.0.0.1", 0))
        return int(free.getsockname()[1])


def _answers(port: int, process: subprocess.Popen[bytes]) -> bool:
    for _ in range(100):
        with contextlib.suppress(OSError), contextlib.closing(socket.create_connection(("127.0.0.1", port), 1)):
            return True
        if process.poll() is not None:
            return False
        time.sleep(0.05)
    return False


@contextlib.contextmanager
def cloud(folder: Path, options: CloudOptions | None = None) -> Iterator[Served]:
    """Run our own cloud in this process."""
    with Cloud(str(folder), options) as running:
        yield Served(running.url, folder / "files", cloud=running)


@contextlib.contextmanager
def _running(port: int, process: subprocess.Popen[bytes], what: str) -> Iterator[None]:
    try:
        if not _answers(port, process):
            pytest.skip(f"{what} does not start here")
        yield
    finally:
        process.terminate()
        process.wait()


@contextlib.contextmanager
def apache(folder: Path) -> Iterator[Served]:
    """Run Apache's WebDAV, or skip the test."""
    program = shutil.which("apache2") or "/usr/sbin/apache2"
    if not os.path.exists(program) or not os.path.isdir(_MODULES):
        pytest.skip("apache2 (with WebDAV) is not here")
    for name in ("files", "lock"):
        (folder / name).mkdir(parents=True)
        (folder / name).chmod(0o777)
    for above in folder.parents:
        with contextlib.suppress(PermissionError):
            above.chmod(above.stat().st_mode | 0o011)
    port, modules = free_port(), ("mpm_event", "authz_core", "dav", "dav_fs", "alias")
    (folder / "conf").write_text(
        f"ServerRoot {folder}\nServerName 127.0.0.1\nListen 127.0.0.1:{port}\nPidFile {folder}/pid\n"
        f"ErrorLog {folder}/log\nUser nobody\nGroup nogroup\nDavLockDB {folder}/lock/db\nDocumentRoot {folder}/files\n"
        + "".join(f"LoadModule {each}_module {_MODULES}/mod_{each}.so\n" for each in modules)
        + f"<Directory {folder}/files>\nDav On\nRequire all granted\nAllowOverride None\n</Directory>\n"
    )
    command = [program, "-f", str(folder / "conf"), "-D", "FOREGROUND"]
    process = subprocess.Popen(command, stderr=subprocess.DEVNULL, stdout=subprocess.DEVNULL)
    with _running(port, process, "Apache's WebDAV"):
        yield Served(f"http://127.0.0.1:{port}", folder / "files", tags_by_time=True)


@contextlib.contextmanager
def sftp(folder: Path, home: Path) -> Iterator[Served]:
    """Run OpenSSH's server, whose key is known in `home`, or skip the test."""
    program = shutil.which("sshd") or "/usr/sbin/sshd"
    keys = home / ".ssh"
    for each in (folder / "files", keys):
        each.mkdir(parents=True)
    made = os.path.exists(program) and all(
        subprocess.run(["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", each], check=False).returncode == 0
        for each in (folder / "host", keys / "id_ed25519")
    )
    if not made:
        pytest.skip("sshd is not here")
    port = free_port()
    os.makedirs("/run/sshd", exist_ok=True)
    (keys / "known_hosts").write_text(f"[127.0.0.1]:{port} {(folder / 'host.pub').read_text()}")
    (folder / "conf").write_text(
        f"Port {port}\nListenAddress 127.0.0.1\nHostKey {folder}/host\nAuthorizedKeysFile {keys}/id_ed25519.pub\n"
        "StrictModes no\nPermitRootLogin yes\nSubsystem sftp internal-sftp\nPidFile none\nUsePAM no\n"
    )
    process = subprocess.Popen([program, "-D", "-f", folder / "conf"], stderr=subprocess.DEVNULL)
    with _running(port, process, "OpenSSH's server"):
        yield Served(f"sftp://root@127.0.0.1:{port}{folder}/files", folder / "files", has_tags=False)


KINDS = ("cloud", "apache", "sftp")


@contextlib.contextmanager
def served(kind: str, folder: Path, home: Path) -> Iterator[Served]:
    """Run a server of a kind."""
    running = {"cloud": lambda: cloud(folder), "apache": lambda: apache(folder), "sftp": lambda: sftp(folder, home)}
    with running[kind]() as found:
        yield found


class IllWilled:
    """A server that gives one answer, whatever it is asked, and remembers what it heard."""

    def __init__(self, answer: bytes, *, endless: bytes = b"") -> None:
        self.heard: list[bytes] = []
        outer = self

        class Handler(socketserver.BaseRequestHandler):
            def handle(self) -> None:
                with contextlib.suppress(OSError):
                    while data := self.request.recv(1 << 20):
                        outer.heard.append(data)
                        self.request.sendall(answer)
                        while endless:
                            self.request.sendall(endless)

        self._server = socketserver.ThreadingTCPServer(("127.0.0.1", 0), Handler)
        self._server.daemon_threads = True
        self.url = f"http://127.0.0.1:{self._server.server_address[1]}"

    def __enter__(self) -> "IllWilled":
        threading.Thread(target=self._server.serve_forever, args=(0.05,), daemon=True).start()
        return self

    def __exit__(self, *_: object) -> None:
        self._server.shutdown()
        self._server.server_close()
