"""What is made to do harm takes little memory and time."""

import contextlib
import gzip
import io
import json
import os
import resource
import signal
import sys
import tarfile
import zipfile
from collections.abc import Callable
from pathlib import Path

import pytest
import zstandard

from foldkeep.model.names import path_from_uri
from foldkeep.model.recipes import Cookbook, Recipe
from foldkeep.model.units import parse_age, parse_moment, parse_size
from harness.desks import Desk
from harness.hostile import (
    DECLARATION,
    LISTING,
    XMP,
    answers,
    columns_file,
    seeds,
)

MEMORY, SECONDS = 512 * 1024**2, 10


def deep(mark: str, end: str, times: int = 50_000) -> bytes:
    return (mark * times + end * times).encode()


ZEROS = {"OTIO_SCHEMA": "ImageSequenceReference.1", "name_prefix": "a", "frame_zero_padding": 20_000, "rate": 25,
         "start_frame": 1, "available_range": {"duration": {"value": 10**6, "rate": 25}}}  # fmt: skip


HOSTILE: dict[str, tuple[str, Callable[[], bytes]]] = {
    "padding of a sequence": ("timeline", lambda: json.dumps({"OTIO_SCHEMA": "Clip.1", "m": ZEROS}).encode()),
    "deep playlist": ("xspf", lambda: deep("<a>", "</a>")), "deep sidecar": ("sidecar", lambda: deep("<a>", "</a>")),
    "odd end of a line": ("csv", lambda: b"\rpath,rating\n/a.mov,4\n"),
    "deep json": ("json", lambda: deep("[", "]")), "deep timeline": ("otio", lambda: deep('{"a":', "}")),
    "deep settings": ("settings", lambda: b"a=" + b"[" * 50_000),
    "deep recipes": ("recipes", lambda: b"a=" + b"[" * 50_000),
    "deep manifest": ("manifest", lambda: deep("[", "]")), "deep mentions": ("mentions", lambda: deep("[", "]")),
    "long rating": ("sidecar", lambda: XMP.replace(b"4", b"9" * 4000)),
    "endless rating": ("sidecar", lambda: XMP.replace(b"4", b"1e999")),
    "long rating in a table": ("csv", lambda: b"path,rating\n/a.mov," + b"9" * 4000 + b"\n"),
    "long number in json": ("json", lambda: b'[{"path": "/a.mov", "rating": ' + b"9" * 4000 + b"}]"),
    "time in a listing": ("listing", lambda: LISTING.replace(b'"modified_ns": 1}\n{', b'"modified_ns": 1e30}\n{')),
    "infinite time": ("listing", lambda: LISTING.replace(b'"made_ns": 1', b'"made_ns": Infinity')),
    "volume of a place that is not listed": ("columns", lambda: Path(columns_file("uuid:2")).read_bytes()),
    "version of a bag": ("declaration", lambda: DECLARATION.replace(b"1.0", b"9" * 5000 + b".0")),
    "encoding of a bag": ("declaration", lambda: b"BagIt-Version: 1.0\nTag-File-Character-Encoding: hex\n"),
    "slow encoding": ("declaration", lambda: b"BagIt-Version: 1.0\nTag-File-Character-Encoding: punycode\n"),
    "NUL in an encoding": ("declaration", lambda: b"BagIt-Version: 1.0\nTag-File-Character-Encoding: a\0b\n"),
    "address of a fetch": ("fetch", lambda: b"http://[x 1 data/a\n"),
    "long oxum": ("tags", lambda: b"Payload-Oxum: " + b"9" * 5000 + b".1\n"),
    "odd address": ("m3u", lambda: b"file://[x/a\n"), "size in a docket": (
        "docket", lambda: seeds()["docket"][0].replace(b",1,", b"," + b"9" * 5000 + b",")),
    "deep answer of a server": ("multistatus", lambda: deep("<a>", "</a>")),
    "long text of a server": ("multistatus", lambda: b"<multistatus xmlns='DAV:'><response><href>" + b"a" * 9_000_000),
    "deep page": ("page", lambda: deep("[", "]")), "long number in a page": ("page", lambda: b'{"n": ' + b"9" * 9000),
    "one long line": ("inventory", lambda: gzip.compress(b'{"format": "') + members()),
    "zip of zeros": ("mentions", lambda: members()),
    "slow encoding of XML": ("mentions", lambda: b'<?xml version="1.0" encoding="punycode"?>' + b"a-b" * 100_000),
    "endless view": ("mentions", lambda: endless_view()),
    "25 texts of 400 MB": ("checked", lambda: squeezed(*((f"p/tag-{number}.txt", 400, b"\0") for number in range(25)))),
    "a manifest of zeros": ("checked", lambda: squeezed(("p/manifest-md5.txt", 2000, b"\0"))),
    "a manifest of ends of lines": ("checked", lambda: squeezed(("p/manifest-md5.txt", 2000, b"\n"))),
    "a manifest of one line": ("checked", lambda: squeezed(("p/manifest-md5.txt", 2000, b"0 a\n"))),
    "a listing of one letter": ("checked", lambda: squeezed(("p/foldkeep-files.jsonl", 2000, b"x"))),
    "a header of 900 MB": ("checked", lambda: squeezed(("p/x", 900, b"\0"), kind=tarfile.XHDTYPE)),
    "a name of 900 MB": ("checked", lambda: squeezed(("p/x", 900, b"a"), kind=tarfile.GNUTYPE_LONGNAME)),
    "a map of holes": ("checked", lambda: holes()), "a chain of holes": ("checked", lambda: chain_of_holes()),
    "millions of names": ("checked", lambda: squeezed(*((f"p/data/{n}", 0, b"") for n in range(51_000)))),
    "files in each other": ("checked", lambda: overlapping()),
    "long paths": ("checked", lambda: squeezed(*(("p/" + f"{n}/" * 1000 + "a", 0, b"") for n in range(3000)))),
    "other letters": ("checked", lambda: other_letters()),
}  # fmt: skip


def squeezed(*files: tuple[str, int, bytes], kind: bytes = tarfile.REGTYPE) -> bytes:
    """A zstd-compressed tar of files that repeat a few bytes for so many MB, small as it is."""
    packer = zstandard.ZstdCompressor(level=3)
    stream, plain, million = io.BytesIO(), [BAGIT], {}
    for name, size, content in files:
        info = tarfile.TarInfo(name)
        info.type, info.size = kind, size * 2**20
        plain.append(info.tobuf(tarfile.PAX_FORMAT))
        if size:
            million[content] = million.get(content) or packer.compress(content * (2**20 // len(content)))
            stream.write(packer.compress(b"".join(plain)) + million[content] * size)
            plain = []
    stream.write(packer.compress(b"".join(plain) + bytes(1024)))
    return stream.getvalue()


def bagit_txt() -> bytes:
    info = tarfile.TarInfo("p/bagit.txt")
    content = b"BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n"
    info.size = len(content)
    return info.tobuf() + content.ljust(512, b"\0")


BAGIT = bagit_txt()


def holes() -> bytes:
    """A sparse file of POSIX whose map says that it goes on for a gigabyte."""
    info = tarfile.TarInfo("p/data/holes")
    info.size = 1000 * 2**20
    info.pax_headers = {"GNU.sparse.major": "1", "GNU.sparse.minor": "0", "GNU.sparse.name": "p/data/holes",
                        "GNU.sparse.realsize": "1"}  # fmt: skip
    packer = zstandard.ZstdCompressor(level=3)
    line = packer.compress(b"1\n" * 2**19)
    return packer.compress(BAGIT + info.tobuf(tarfile.PAX_FORMAT) + b"99999999999\n") + line * 1000


def chain_of_holes() -> bytes:
    info = tarfile.TarInfo("p/data/holes")
    info.type = tarfile.GNUTYPE_SPARSE
    head = bytearray(info.tobuf(tarfile.GNU_FORMAT))
    head[482] = 1
    packer = zstandard.ZstdCompressor(level=3)
    more = b"00000000001\0" * 42 + b"\1" + bytes(7)
    return packer.compress(bytes(head)) + packer.compress(more * 2048) * 700


def overlapping() -> bytes:
    """A zip of 30,000 names for one and the same content."""
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("p/data/0", bytes(50_000_000))
        first = packed.infolist()[0]
        for number in range(1, 30_000):
            info = zipfile.ZipInfo(f"p/data/{number}")
            for name in ("compress_type", "CRC", "compress_size", "file_size", "header_offset", "external_attr"):
                setattr(info, name, getattr(first, name))
            packed.filelist.append(info)
            packed.NameToInfo[info.filename] = info
    return stream.getvalue()


def other_letters() -> bytes:
    """Names that are no ASCII, and a manifest that has none of them: none may be compared with each other one."""
    names = [f"p/data/\u00fc{number}" for number in range(8_000)]
    text = "".join(f"00  data/\u00fc\u0308{number}\n" for number in range(8_000)).encode()
    stream = io.BytesIO()
    with tarfile.open(fileobj=stream, mode="w") as tar:
        for name, content in [("p/bagit.txt", DECLARATION), ("p/manifest-md5.txt", text),
                              *((name, b"") for name in names)]:  # fmt: skip
            info = tarfile.TarInfo(name)
            info.size = len(content)
            tar.addfile(info, io.BytesIO(content))
    return stream.getvalue()


def members() -> bytes:
    """700 MB of one letter, as a gzip file of many members."""
    return gzip.compress(b"x" * 10_000_000) * 70


def endless_view() -> bytes:
    import sqlite3

    with contextlib.closing(sqlite3.connect(":memory:")) as made, made:
        made.execute(
            "CREATE VIEW v AS WITH RECURSIVE n(x) AS (SELECT 1 UNION ALL SELECT x + 1 FROM n)"
            " SELECT x FROM n WHERE x < 0"
        )
        return made.serialize()


def bounded(work: Callable[[], None]) -> tuple[int, int]:
    """Do something in a child with bounded memory and time; return its exit status and its peak memory in KiB."""
    child = os.fork()
    if child == 0:
        signal.setitimer(signal.ITIMER_PROF, SECONDS)  # of work: others may have the machine
        used = int(Path("/proc/self/statm").read_text().split()[0]) * resource.getpagesize()
        resource.setrlimit(resource.RLIMIT_AS, (used + MEMORY, resource.RLIM_INFINITY))
        try:
            work()
        except BaseException as error:
            print(f"{type(error).__name__}: {str(error)[:300]}", file=sys.stderr, flush=True)
            os._exit(1)
        os._exit(0)
    _, status, usage = os.wait4(child, 0)
    return status, usage.ru_maxrss


LARGE = [what for what, (reader, _) in HOSTILE.items() if reader == "checked"]


@pytest.mark.parametrize("what", [
    pytest.param(what, marks=pytest.mark.more if what in LARGE else ()) for what in HOSTILE
])  # fmt: skip
def test_what_is_made_to_do_harm_takes_little_memory_and_time(tmp_path: Path, what: str, capfd):
    reader, content = HOSTILE[what]
    path = tmp_path / "file"
    path.write_bytes(content())
    status, _ = bounded(lambda: answers(reader, path))
    assert status == 0, (what, status, capfd.readouterr().err)


@pytest.mark.parametrize("line", [
    ["caches", "--recipes"], ["keep", "-o", "x.csv", "--config"], ["fold"], ["inventory", "show"],
    ["orphans", "--catalog"], ["archive", "--check"], ["catalog", "check"], ["restore", "--to", "x"],
])  # fmt: skip
def test_a_device_and_a_pipe_are_no_input(desk: Desk, line: list[str]):
    pipe = desk.top / "pipe.csv"
    os.mkfifo(pipe)
    (desk.top / "zero.csv").symlink_to("/dev/zero")
    desk.ask("scan", desk.place)

    def ask() -> None:
        for path in (pipe, desk.top / "zero.csv", Path("/dev/zero")):
            answer = desk.run(*line, path)
            assert answer.status in (1, 2), answer
            assert (answer.err + answer.out).count("\n") <= 2, answer

    status, _ = bounded(ask)
    assert status == 0


@pytest.mark.parametrize(("read", "text"), [
    (parse_age, "99999999999y"), (parse_age, "9" * 400 + "d"), (parse_size, "9" * 400),
    (parse_size, "9" * 400 + ".5TB"),
    (parse_moment, "0000-00-00T00:00:00Z"), (path_from_uri, "file://[x/a"), (path_from_uri, "file:///" + "%" * 50_000),
])  # fmt: skip
def test_numbers_and_addresses_that_nobody_sane_writes(read: Callable[[str], object], text: str):
    try:
        read(text)
    except ValueError:
        return
    assert read is path_from_uri


def test_globs_take_time_in_proportion_to_what_they_are_matched_with():
    globs = (
        "**/a/**/a/**/a/**/a/**/a/**/a/**/b/*",
        "**/" + "*a" * 30 + "b",
        "*" * 60 + "b",
        "**/*a*a*a*a*a*a*a*a*a*b*c",
    )

    def match() -> None:
        for glob in globs:
            book = Cookbook([Recipe("r", "render", (glob,), "stem")])
            assert book.of("a/" * 3000).takes(b"a" * 250) is None

    assert bounded(match)[0] == 0


def test_what_the_user_typed_is_shown_without_acting_on_the_terminal(desk: Desk):
    desk.ask("scan", desk.place)
    for line in (["\x1b[31mred"], ["caches", "--\x1b[31m"], ["caches", "--what", "\x1b[31m"], ["fold", "\x1b[31m.csv"],
                 ["caches", "--trust", "\x1b[31m"], ["list", "--older-than", "\x1b[31m"], ["keep", "-o"],
                 ["scan", "a\x1b[31m"], ["unfold", "\x1b[31m"]):  # fmt: skip
        answer = desk.run(*line)
        assert answer.status == 2, answer
        assert "\x1b" not in answer.err + answer.out, line
