"""Servers, our own and others': what is asked, what may be repeated, and what is not believed."""

import base64
import hashlib
import os
import time
from contextlib import suppress
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from foldkeep.demo.cloud import CloudOptions, Fault
from foldkeep.model import UnusableInput
from foldkeep.model.remote import is_step, remote_path, remote_uri
from foldkeep.storage.dav.digests import stated_digest
from foldkeep.storage.dav.multistatus import Answer, answers
from foldkeep.storage.remote import (
    Connections,
    Credentials,
    Login,
    NotAllowed,
    NotTheFile,
    RemoteError,
    ServerGone,
    TryLater,
    connections,
    remote_storage,
)
from foldkeep.storage.remote.patience import Patience
from harness.servers import KINDS, IllWilled, cloud, served, sftp

pytestmark = pytest.mark.on_disk

_QUICK = Patience(first_wait=0.01, answer_seconds=1.0, change_seconds=1.0)


@pytest.fixture(params=KINDS)
def server(request, tmp_path: Path, monkeypatch):
    monkeypatch.setenv("HOME", str(tmp_path / "home"))
    with served(request.param, tmp_path / "server", tmp_path / "home") as found, connections(Connections()):
        yield found


ODD_NAMES = [
    "red kite.jpg",
    "100% #1?.jpg",
    "a&b;c=d.jpg",
    "<kite>.jpg",
    "Dr\u00e4chen \u51e7.jpg",
    'it\'s "it".jpg',
    "+%20.jpg",
]


def test_every_server_is_asked_alike(server):
    top = remote_path(server.url)
    for name in ODD_NAMES:
        server.write(f"day/{name}", name.encode() * 9, 1_750_000_000)
    server.write("day/inner/x.jpg", b"x")
    server.write("day/empty.jpg", b"")
    storage, day = remote_storage(top), top + b"/day"
    files = {file.name: file for file in storage.files(day)}
    assert set(files) == {os.fsencode(name) for name in (*ODD_NAMES, "inner", "empty.jpg")}
    assert files[b"inner"].is_folder
    assert files[b"empty.jpg"].size == 0
    for name in map(os.fsencode, ODD_NAMES):
        path, file = day + b"/" + name, files[name]
        assert (file.size, file.modified_ns, file.is_mine) == (len(name) * 9, 1_750_000_000 * 10**9, True)
        assert remote_path(remote_uri(path)) == path
        assert bool(file.etag) is server.has_tags
        assert storage.part(path, 3, 8, file.etag).data == (name * 9)[3:11]
        assert b"".join(storage.parts(path, file.etag)) == name * 9
        assert storage.facts(path) == file
    assert storage.facts(day + b"/nothing.jpg") is None
    quota = storage.quota(day)
    assert quota is None or (quota.used or 0) >= 0
    with pytest.raises(FileNotFoundError):
        storage.files(top + b"/nowhere")


def test_every_server_changes_only_what_it_may(server):
    top = remote_path(server.url)
    server.write("kept.jpg", b"kept")
    storage = remote_storage(top)
    storage.make_folder(top + b"/new")
    with pytest.raises(FileExistsError):
        storage.make_folder(top + b"/new")
    path = top + b"/new/100% #1?.jpg"
    storage.write_new(path, [b"kite" * 5, b"!"], 21)
    assert b"".join(storage.parts(path)) == b"kite" * 5 + b"!"
    for taken in (path, top + b"/kept.jpg"):
        with pytest.raises(FileExistsError):
            storage.write_new(taken, [b"other"], 5)
    with pytest.raises(FileExistsError):
        storage.move(path, top + b"/kept.jpg")
    with pytest.raises((FileNotFoundError, RemoteError)):
        storage.move(path, top + b"/nowhere/x.jpg")
    with pytest.raises(FileNotFoundError):
        storage.move(top + b"/new/none.jpg", top + b"/new/two.jpg")
    assert (server.folder / "kept.jpg").read_bytes() == b"kept"
    time.sleep(1.1)  # servers whose tags come from whole seconds have weak ones before that
    facts = storage.facts(path)
    if server.has_tags:
        for refused in (lambda: storage.move(path, top + b"/two.jpg", '"x"'), lambda: storage.remove(path, '"x"')):
            with pytest.raises(NotTheFile):
                refused()
    storage.move(path, top + b"/two.jpg", facts.etag)
    assert storage.facts(path) is None
    storage.remove(top + b"/two.jpg", storage.facts(top + b"/two.jpg").etag)
    storage.remove(top + b"/new")
    assert sorted(os.listdir(server.folder)) == ["kept.jpg"]


@pytest.mark.parametrize("fault", Fault)
def test_what_only_asks_is_asked_again_and_what_changes_never(fault, tmp_path: Path):
    with cloud(tmp_path) as found, connections(Connections(patience=_QUICK)):
        top, faults = remote_path(found.url), found.cloud.faults
        faults.late_seconds = 1.5
        found.write("kite.jpg", b"kite" * 9000)
        storage = remote_storage(top)

        def goes_wrong():
            faults.requests.clear()
            faults.plan = {1: fault}

        for ask in (
            lambda: storage.files(top), lambda: storage.facts(top + b"/kite.jpg"),
            lambda: storage.part(top + b"/kite.jpg", 9, 99).data, lambda: b"".join(storage.parts(top + b"/kite.jpg")),
        ):  # fmt: skip
            faults.plan = {}
            expected = ask()
            goes_wrong()
            assert ask() == expected
        etag = storage.facts(top + b"/kite.jpg").etag
        for method, change in (
            ("PUT", lambda: storage.write_new(top + b"/new.jpg", [b"new"], 3)),
            ("MOVE", lambda: storage.move(top + b"/kite.jpg", top + b"/moved.jpg", etag)),
            ("DELETE", lambda: storage.remove(top + b"/moved.jpg")),
            ("MKCOL", lambda: storage.make_folder(top + b"/folder")),
        ):
            goes_wrong()
            with suppress(OSError):
                change()
            assert [each for each, _ in faults.requests].count(method) == 1
            faults.plan = {}
            if method == "MOVE" and storage.facts(top + b"/kite.jpg"):
                storage.move(top + b"/kite.jpg", top + b"/moved.jpg", etag)


def test_a_busy_server_is_left_alone_for_as_long_as_it_wants(tmp_path: Path):
    waits: list[float] = []
    patience = Patience(sleep=waits.append)
    with cloud(tmp_path) as found, connections(Connections(patience=patience)):
        faults, top = found.cloud.faults, remote_path(found.url)
        faults.retry_after = "7"
        faults.plan = {1: Fault.REFUSED, 2: Fault.REFUSED}
        assert remote_storage(top).files(top) == []
        assert waits == [7.0, 7.0]
        faults.retry_after, faults.plan = "86400", dict.fromkeys(range(99), Fault.REFUSED)
        with pytest.raises(TryLater):
            remote_storage(top).files(top)
    assert waits == [7.0, 7.0]


def test_a_limit_of_rate_is_kept(tmp_path: Path):
    with cloud(tmp_path) as found, connections(Connections(rate=1_000_000)):
        found.write("kite.jpg", b"k" * 600_000)
        began = time.monotonic()
        assert (
            sum(map(len, remote_storage(remote_path(found.url)).parts(remote_path(found.url) + b"/kite.jpg")))
            == 600_000
        )
        assert time.monotonic() - began > 0.5


def test_a_login_comes_from_where_it_is_kept_and_is_asked_for_once(tmp_path: Path, monkeypatch):
    options = CloudOptions(login=("desk", "Kite%Days 7"))
    monkeypatch.setenv("NETRC", str(tmp_path / "netrc"))
    asked = []

    def ask(server: str, user: str) -> Login | None:
        asked.append((server, user))
        return Login("desk", "Kite%Days 7")

    with cloud(tmp_path, options) as found:
        top = remote_path(found.url)
        with connections(Connections()), pytest.raises(NotAllowed, match="wants a name and password"):
            remote_storage(top).files(top)
        with connections(Connections(Credentials(ask))):
            assert [remote_storage(top).files(top) for _ in range(3)] == [[], [], []]
            remote_storage(top).write_new(top + b"/new.jpg", [b"a", b"b"], 2)
        assert asked == [(found.url, "")]
        for password, works in (("Kite%Days 7", True), ("wrong", False)):
            (tmp_path / "netrc").write_text(f'machine 127.0.0.1 login desk password "{password}"\n')
            (tmp_path / "netrc").chmod(0o600)
            with connections(Connections()):
                if works:
                    assert remote_storage(top).files(top)
                else:
                    with pytest.raises(NotAllowed, match="refuses that name and password"):
                        remote_storage(top).files(top)
    assert "Kite" not in repr(Login("desk", "Kite%Days 7"))
    (tmp_path / "netrc").write_bytes(b"machine \xff secret secret secret\n")
    with pytest.raises(UnusableInput) as error:
        Credentials().of(top)
    assert "secret" not in str(error.value)


def test_an_unknown_host_key_is_refused_with_its_fingerprint(tmp_path: Path, monkeypatch):
    monkeypatch.setenv("HOME", str(tmp_path / "home"))
    with sftp(tmp_path / "server", tmp_path / "home") as found, connections(Connections()):
        (tmp_path / "home/.ssh/known_hosts").write_text("")
        key = (tmp_path / "server/host.pub").read_text().split()[1]
        told = base64.b64encode(hashlib.sha256(base64.b64decode(key)).digest()).decode().rstrip("=")
        with pytest.raises(NotAllowed) as error:
            remote_storage(remote_path(found.url)).files(remote_path(found.url))
        assert f"SHA256:{told}" in str(error.value)


@pytest.mark.parametrize("address", ["http://windmere.example/x", "HTTP://windmere.example:8080"])
def test_nothing_goes_unencrypted_to_others_unless_asked_by_name(address):
    path = remote_path(address)
    with connections(Connections()), pytest.raises(UnusableInput, match="--unencrypted"):
        remote_storage(path)


def _answer(body: bytes, status: str = "207 Multi-Status", **headers: str) -> bytes:
    told = "".join(f"{name.replace('_', '-')}: {value}\r\n" for name, value in headers.items())
    length = "" if "Content_Length" in headers else f"Content-Length: {len(body)}\r\n"
    return f"HTTP/1.1 {status}\r\n{length}{told}\r\n".encode() + body


def _multistatus(*responses: tuple[str, str]) -> bytes:
    inner = "".join(
        f"<response><href>{href}</href><propstat><prop>{prop}</prop>"
        "<status>HTTP/1.1 200 OK</status></propstat></response>"
        for href, prop in responses
    )
    return f'<?xml version="1.0"?><multistatus xmlns="DAV:">{inner}</multistatus>'.encode()


_FILE = "<getcontentlength>5</getcontentlength><resourcetype/>"
_BOMB = (
    b'<?xml version="1.0"?><!DOCTYPE m [<!ENTITY a "kite"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;">]>'
    b'<multistatus xmlns="DAV:"><response><href>&b;</href></response></multistatus>'
)
ILL_ANSWERS = {
    "a bomb": _answer(_BOMB),
    "an outside entity": _answer(b'<!DOCTYPE m [<!ENTITY a SYSTEM "file:///etc/passwd">]><multistatus xmlns="DAV:"/>'),
    "no XML": _answer(b"<html><body>Sign in</html>"),
    "XML that is no answer": _answer(b'<?xml version="1.0"?><kites xmlns="DAV:"/>'),
    "a deep document": _answer(b"<multistatus xmlns='DAV:'>" + b"<a>" * 100_000),
    "a long text": _answer(b"<multistatus xmlns='DAV:'><response><href>" + b"a" * 9_000_000),
    "a name that climbs": _answer(_multistatus(("/day/../../etc/passwd", _FILE))),
    "an encoded slash": _answer(_multistatus(("/day/a%2Fb.jpg", _FILE))),
    "a NUL": _answer(_multistatus(("/day/a%00.jpg", _FILE))),
    "another folder's file": _answer(_multistatus(("/other/a.jpg", _FILE))),
    "a grandchild": _answer(_multistatus(("/day/inner/a.jpg", _FILE))),
    "another host's file": _answer(_multistatus(("http://elsewhere.example/day/../a.jpg", _FILE))),
    "a size below nothing": _answer(_multistatus(("/day/a.jpg", "<getcontentlength>-5</getcontentlength>"))),
    "a size beyond all": _answer(_multistatus(("/day/a.jpg", f"<getcontentlength>{10**30}</getcontentlength>"))),
    "no size": _answer(_multistatus(("/day/a.jpg", "<resourcetype/>"))),
    "a redirect": _answer(b"", "302 Found", Location="http://127.0.0.1:1/day/"),
    "a success that is none": _answer(b"hello", "200 OK"),
    "a short body": _answer(_multistatus(("/day/a.jpg", _FILE))[:60], Content_Length="600", Connection="close"),
    "packed contents": _answer(b"\x1f\x8b", Content_Encoding="gzip"),
    "no HTTP": b"SSH-2.0-Kite\r\n",
    "a status of its own": _answer(b"", "799 Kite"),
    "a header without end": b"HTTP/1.1 207 Multi-Status\r\nX: " + b"a" * 3_000_000,
}  # fmt: skip


@pytest.mark.parametrize("words", ILL_ANSWERS)
def test_what_a_hostile_server_answers_is_refused(words):
    patience = Patience(tries=2, first_wait=0.01, answer_seconds=2.0)
    with IllWilled(ILL_ANSWERS[words]) as server, connections(Connections(patience=patience)):
        top = remote_path(server.url)
        began = time.monotonic()
        with pytest.raises(RemoteError) as error:
            remote_storage(top).files(top + b"/day")
        assert time.monotonic() - began < 20
        assert "\n" not in str(error.value)


@pytest.mark.parametrize("start", [b"<?xml version='1.0'?><multistatus xmlns='DAV:'>", b""])
def test_an_endless_answer_ends(start, monkeypatch):
    monkeypatch.setattr("foldkeep.storage.dav.multistatus._MOST_RESPONSES", 100_000)
    monkeypatch.setattr("foldkeep.storage.dav.storage._MOST_LISTED", 50_000_000)
    answer = _answer(start, Content_Length=str(10**15))
    piece = b"<response><href>/day/a.jpg</href></response>" * 1000 if start else b" " * 100_000
    with IllWilled(answer, endless=piece) as server, connections(Connections(patience=Patience(tries=1))):
        top = remote_path(server.url)
        with pytest.raises(RemoteError):
            remote_storage(top).files(top + b"/day")


def test_parts_that_are_not_those_asked_for_are_refused():
    for answer in (
        _answer(b"kite", "206 Partial Content", Content_Range="bytes 1-4/9"),
        _answer(b"kite", "206 Partial Content", Content_Range="bytes 0-7/9"),
        _answer(b"kite", "206 Partial Content"),
        _answer(b"kitekite", "206 Partial Content", Content_Range="bytes 0-3/9"),
        _answer(b"kite", "206 Partial Content", Content_Range="bytes 0-3/9", ETag='"other"'),
    ):
        with IllWilled(answer) as server, connections(Connections(patience=Patience(tries=1))):
            top = remote_path(server.url)
            with pytest.raises(RemoteError):
                remote_storage(top).part(top + b"/a.jpg", 0, 4, '"mine"')


def test_no_login_goes_to_another_host(tmp_path: Path, monkeypatch):
    monkeypatch.setenv("NETRC", str(tmp_path / "netrc"))
    (tmp_path / "netrc").write_text("machine 127.0.0.1 login desk password kite\n")
    (tmp_path / "netrc").chmod(0o600)
    with IllWilled(_answer(b"", "200 OK")) as other:
        for answer in (
            _answer(b"", "307 Temporary Redirect", Location=f"{other.url}/day/"),
            _answer(b"", "401 Unauthorized", WWW_Authenticate="Basic realm=x", Location=other.url),
        ):
            with IllWilled(answer) as server, connections(Connections(patience=Patience(tries=1))):
                top = remote_path(server.url)
                with pytest.raises(RemoteError):
                    remote_storage(top).files(top + b"/day")
        assert other.heard == []


def test_a_server_that_is_gone_is_told_in_words():
    with IllWilled(b"") as server:
        top = remote_path(server.url)
    with connections(Connections(patience=_QUICK)), pytest.raises(ServerGone, match="cannot be reached"):
        remote_storage(top).files(top)


_MARKUP = st.sampled_from(
    [b"<response>", b"</response>", b"<href>", b"</href>", b"/day/a.jpg", b"<propstat>", b"</propstat>", b"<prop>",
     b"</prop>", b"<status>HTTP/1.1 200 OK</status>", b"<getcontentlength>", b"</getcontentlength>", b"12", b"&amp;",
     b"<getetag>\"x\"</getetag>", b"<resourcetype><collection/></resourcetype>", b"</multistatus>", b"\xff", b"%00"]
)  # fmt: skip


@given(st.lists(_MARKUP, max_size=30))
def test_no_document_ends_in_anything_but_files_or_a_refusal(parts):
    body = b"<multistatus xmlns='DAV:'>" + b"".join(parts)
    try:
        for answer in answers([body[at : at + 7] for at in range(0, len(body), 7)]):
            assert isinstance(answer, Answer)
    except RemoteError:
        pass


@given(st.text(max_size=60) | st.from_regex(r"(sha-256|SHA-512)=:[A-Za-z0-9+/=]*:(, x=y)?", fullmatch=True))
def test_a_stated_digest_is_whole_or_none(text):
    found = stated_digest({"repr-digest": text})
    assert found == "" or len(found.partition(":")[2]) in (64, 128)


@given(st.sampled_from(["https://", "sftp://"]), st.text(max_size=40) | st.binary(max_size=40))
def test_an_address_is_a_path_of_steps_or_refused(scheme, rest):
    address = scheme + rest if isinstance(rest, str) else scheme.encode() + rest
    try:
        path = remote_path(address)
    except (UnusableInput, UnicodeEncodeError):
        return
    assert all(map(is_step, path.split(b"/")[3:]))
    assert remote_path(remote_uri(path)) == path
    assert remote_uri(path).isascii()
