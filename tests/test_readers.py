"""Readers of other people's files: whatever comes, an answer or an error of ours, in bounded memory and time."""

import atexit
import gzip
import hashlib
import io
import json
import os
import resource
import shutil
import signal
import sys
import tarfile
import tempfile
import zipfile
import zlib
from collections.abc import Callable
from pathlib import Path

import pytest
import zstandard
from blake3 import blake3
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PIL import Image, PngImagePlugin

from foldkeep.archive import open_restoration
from foldkeep.demo.pictures import jpeg
from foldkeep.demo.sounds import encoded, film, tune, wav
from foldkeep.fold.journal.records import decoded
from foldkeep.formats import (
    InventoryReader,
    Listing,
    bagit,
    catalog_source,
    mentions_in,
    open_package,
    parse_xmp,
    read_catalog,
    read_recipes,
    read_settings,
    read_thumbnail,
    records_of,
    timeline_seconds,
    with_words,
)
from foldkeep.formats.inventory import _seal
from foldkeep.formats.xmp import Xmp
from foldkeep.keep import read_docket
from foldkeep.model import Cookbook, FoldKeepError, Recipe, parse_age, parse_moment, parse_size, path_from_uri
from foldkeep.scan import check_package
from foldkeep.signals import Apart
from foldkeep.stock import Stock
from harness.desks import Desk
from harness.documents import database, edl, otio, referring, xml

OURS = (OSError, ValueError, FoldKeepError)
EXAMPLES = 5000 if "FOLDKEEP_EXPLORE" in os.environ else 40
MEMORY, SECONDS = 512 * 1024**2, 10


def catalog(form: str) -> Callable[[Path], object]:
    def read(path: Path) -> object:
        named = path.rename(path.with_suffix(f".{form}"))
        return list(read_catalog(catalog_source(f"{form}:{named}", "", "select * from clips" * (form == "sqlite"))))

    return read


def sealed_inventory(path: Path) -> object:
    """Read lines as an inventory whose seal is right."""
    content = gzip.compress(path.read_bytes())
    path.write_bytes(content + _seal(blake3(content).digest()))
    return inventory(path)


def journal(path: Path) -> object:
    try:
        return [decoded(json.loads(line), b"/place") for line in path.read_bytes().splitlines()]
    except (KeyError, TypeError, RecursionError) as error:  # as the reader of journals takes them
        raise ValueError("no line of ours") from error


def inventory(path: Path) -> object:
    reader = InventoryReader(str(path))
    try:
        return [len(folder.names) for folder in reader.folders()]
    finally:
        reader.close()


def package(path: Path) -> object:
    with open_package(os.fsencode(path)) as opened:
        return [named for named, stream in opened.contents() if stream.read(1024) is not None]


def media(kind: str) -> Callable[[Path], object]:
    """Read what a medium says of itself, as scans do: in the helper process, which stays alive."""
    return lambda path: HELPER.facts(os.fsencode(path), kind)


HELPER = Apart()
atexit.register(HELPER.close)


def stock(path: Path) -> object:
    with Stock.open(str(path)) as opened:
        return opened.archives.all(), opened.places.all(), opened.ledger.summaries()


def restored(path: Path) -> object:
    """Bring back a package of ours whose listing is this, and whose manifests know that."""
    bag, target = path.with_name("bag"), path.with_name("target")
    shutil.rmtree(bag, ignore_errors=True)
    shutil.rmtree(target, ignore_errors=True)
    (bag / "data").mkdir(parents=True)
    target.mkdir()
    content = {bagit.LISTING: path.read_bytes(), "bagit.txt": SEEDS["declaration"][0], "data/a": b"x"}
    for name, data in content.items():
        (bag / name).write_bytes(data)
    (bag / "manifest-sha256.txt").write_text("".join(
        f"{hashlib.sha256(data).hexdigest()}  {name}\n" for name, data in content.items() if name.startswith("data/")
    ))  # fmt: skip
    (bag / "tagmanifest-sha256.txt").write_text(
        f"{hashlib.sha256(content[bagit.LISTING]).hexdigest()}  {bagit.LISTING}\n"
    )
    before = sorted(path.parent.iterdir())
    with open_restoration([os.fsencode(bag)], os.fsencode(target)) as restoration:
        report = restoration.carry_out()
    assert sorted(path.parent.iterdir()) == before
    assert os.path.dirname(report.folder) == os.fsencode(target)
    return report


def checked(path: Path) -> object:
    return check_package(os.fsencode(path))


def listing(path: Path) -> object:
    return list(Listing(lambda: iter(path.read_bytes().decode().splitlines())))


READERS: dict[str, Callable[[Path], object]] = {
    **{form: catalog(form) for form in ("list", "csv", "json", "jsonl", "m3u", "pls", "xspf", "otio", "edl", "sqlite")},
    "mentions": lambda path: mentions_in(os.fsencode(path)),
    "timeline": lambda path: mentions_in(os.fsencode(path.rename(path.with_suffix(".otio")))),
    "edit list": lambda path: mentions_in(os.fsencode(path.rename(path.with_suffix(".edl")))),
    "length": lambda path: timeline_seconds(os.fsencode(path.rename(path.with_suffix(".otio")))),
    "manifest": lambda path: list(records_of(os.fsencode(path))),
    "thumbnail": lambda path: read_thumbnail(os.fsencode(path)),
    "settings": lambda path: read_settings(str(path), needed=True),
    "recipes": lambda path: read_recipes(str(path)),
    "docket": lambda path: read_docket(str(path)),
    "inventory": inventory,
    "sealed inventory": sealed_inventory,
    "journal": journal,
    "package": package,
    "checked": checked,
    "sidecar": lambda path: with_words(None, parse_xmp(path.read_bytes()) or Xmp()),
    "listing": listing,
    "restored": restored,
    "tar": checked,
    "zst": checked,
    "disc": checked,
    "stock": stock,
    **{kind: media(kind) for kind in ("photo", "audio", "video")},
    "declaration": lambda path: bagit.declared(path.read_bytes()),
    "fetch": lambda path: list(bagit.fetch_entries(path.read_bytes().decode().splitlines())),
    "tags": lambda path: bagit.oxum(bagit.tags_of(path.read_bytes(), "utf-8", "bag-info.txt")),
}
WHOLE_LISTING = (
    b'{"format": "files of a Fold Keep package", "version": 1, "key": "k", "project": "file:///p", "made_ns": 1,'
    b' "left_out": 0, "mode": "755", "modified_ns": 1, "owner": [0, 0, "root", "root"]}\n'
    b'{"form": "folder", "path": "d", "mode": "755", "modified_ns": 1, "attributes": {"user.a": "YQ=="}}\n'
    b'{"form": "file", "path": "d/a", "payload": "data/a", "size": 1, "digest": "blake3:'
    + blake3(b"x").hexdigest().encode()
    + b'", "sparse": true, "data": [[0, 1]], "mode": "644", "modified_ns": 1}\n'
    b'{"form": "same", "path": "d/b", "target": "d/a", "mode": "644", "modified_ns": 1}\n'
    b'{"form": "link", "path": "l", "target": "d", "mode": "777", "modified_ns": 1}\n'
)
PATHS = ["renders/kite.mov", "/v/größe 2.mov", "file:///v/a%20b.mov"]
LISTING = (
    b'{"format": "files of a Fold Keep package", "version": 1, "key": "k", "project": "file:///p", "made_ns": 1,'
    b' "left_out": 0, "mode": "755", "modified_ns": 1}\n{"form": "file", "path": "a", "payload": "data/a", "size": 1,'
    b' "digest": "blake3:' + b"0" * 64 + b'", "mode": "644", "modified_ns": 1}\n'
)
RECIPE = b'[[recipe]]\nname = "a"\nwhat = "render"\nfiles = ["**/r/*"]\nsource = "stem"\nversion = ["v*"]\n'
INVENTORY = (
    b'{"format":"foldkeep inventory","version":1,"saved":"2026-11-23T12:50:00Z","places":[{"uri":"file:///v","label":"v",'
    b'"role":"working","volume":"k","scanned":null}],"volumes":{"k":"disk"}}\n'
    b'{"folder":"file:///v","place":0,"volume":"k","names":"a.jpg/b%20c.jpg","sizes":[1,2],"modified_ns":[1,2],'
    b'"kinds":["photo","photo"],"inodes":[1,2],"links":[1,1],"owners":[0,0],"blocks":[8,8],"extents":[null,null],'
    b'"ends":[null,null],"digests":[null,null],"contents":[null,null]}\n{"end":{"files":2,"bytes":3}}\n'
)
JOURNAL = (
    b'{"journal": 2, "run": "k", "method": "fold"}\n'
    b'{"do": "fold", "n": 1, "slot": "1", "from": "a.jpg", "size": 1, "modified_ns": 1, "digest": "", "keeper": "b",'
    b' "method": "fold", "source": [1, 1, ""], "grade": "proved", "recipe": "r", "made": "blake3:' + b"0" * 64 + b'"}\n'
    b'{"done": "waiting", "n": 1}\n{"do": "unfold", "n": 1, "to": "a.jpg"}\n'
    b'{"do": "touch", "at": "x", "times": [1, 2]}\n'
)
XMP = with_words(None, Xmp(("kite",), 4, "Red", "Over the sea"))
XSPF = (b'<playlist xmlns="http://xspf.org/ns/0/"><trackList><track><location>file:///a.mov</location></track>'
        b"</trackList></playlist>")  # fmt: skip


def thumbnail() -> bytes:
    said = PngImagePlugin.PngInfo()
    said.add_text("Thumb::URI", "file:///v/kite.jpg")
    said.add_text("Thumb::MTime", "1750000000")
    stream = io.BytesIO()
    Image.new("RGB", (4, 4)).save(stream, "PNG", pnginfo=said)
    return stream.getvalue()


def bag() -> bytes:
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w") as packed:
        packed.writestr("p/bagit.txt", "BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n")
        packed.writestr("p/manifest-sha256.txt", "0" * 64 + "  data/a\n")
        packed.writestr("p/data/a", b"x")
    return stream.getvalue()


def tar_bag() -> bytes:
    stream = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(bag())) as packed, tarfile.open(fileobj=stream, mode="w") as tar:
        for name in packed.namelist():
            info = tarfile.TarInfo(name)
            info.pax_headers = {"SCHILY.xattr.user.kite": "red"}
            info.size = len(packed.read(name))
            tar.addfile(info, io.BytesIO(packed.read(name)))
    return stream.getvalue()


def disc_bag() -> bytes:
    import pycdlib

    image, stream = pycdlib.PyCdlib(), io.BytesIO()
    image.new(interchange_level=3, joliet=3, rock_ridge="1.09")
    for number, (name, content) in enumerate({"bagit.txt": b"BagIt-Version: 1.0\n", "a": b"x"}.items()):
        image.add_fp(io.BytesIO(content), len(content), f"/F{number}.;1", rr_name=name, joliet_path=f"/{name}")
    image.write_fp(stream)
    image.close()
    return stream.getvalue()


def known_stock() -> bytes:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "stock.sqlite3"
        Stock.open(str(path), create=True).__exit__(None, None, None)
        return path.read_bytes()


SEEDS: dict[str, list[bytes]] = {
    "list": ["\n".join(PATHS).encode()], "csv": [b"path,rating,keywords\n/v/a.mov,4,kite;sea\n"],
    "json": [json.dumps([{"path": path, "rating": 3} for path in PATHS]).encode()],
    "jsonl": ["\n".join(json.dumps({"path": path}) for path in PATHS).encode()],
    "m3u": ["\n".join(PATHS).encode()], "pls": [b"[playlist]\nFile1=/v/a.mov\n"], "xspf": [XSPF],
    "otio": [otio(referring(PATHS))], "edl": [edl(PATHS)], "sqlite": [database(list(PATHS))],
    "mentions": [xml(PATHS).encode(), gzip.compress(b"kite.mov"), zlib.compress(b"kite.mov"), bag(),
                 database(list(PATHS)), json.dumps(PATHS).encode()],
    "timeline": [otio(referring(PATHS))], "edit list": [edl(PATHS)], "length": [otio(referring(PATHS))],
    "manifest": [b"a.bin\t../b.mov\n", b'{"a.bin": "../b.mov"}'], "thumbnail": [thumbnail()],
    "settings": [b'[fold]\nlitter = ["Thumbs.db"]\n[caches]\nrecipes = "r.toml"\n'], "recipes": [RECIPE],
    "docket": [b"set,action,path,size,kind,modified,digest,reason,uri\n"
               b"a,fold,/a,1,photo,2025-06-14T09:12:03Z,,r,file:///a\n"],
    "inventory": [gzip.compress(b'{"format": "foldkeep inventory", "version": 1}\n')],
    "sealed inventory": [INVENTORY], "journal": [JOURNAL],
    "package": [bag()], "checked": [bag()], "sidecar": [XMP], "listing": [LISTING],
    "restored": [WHOLE_LISTING, WHOLE_LISTING.replace(b'"form": "folder"', b'"form": "link", "target": "../a"')],
    "tar": [tar_bag()], "zst": [zstandard.compress(tar_bag())], "disc": [disc_bag()],
    "stock": [known_stock()], "photo": [jpeg(1, "camera", "2025:06:14 09:12:03"), thumbnail()],
    "audio": [wav(tune([0, 4, 7])), encoded(tune([0, 4]), "flac", {"title": "march"})], "video": [film(1, 0.4)],
    "declaration": [b"BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n"],
    "fetch": [b"https://a/b 12 data/a\n"], "tags": [b"Payload-Oxum: 1.1\nBag-Size: 1 kB\n"],
}  # fmt: skip

PIECES = [
    b"\0", b"\xff\xfe", b"9" * 5000, b"1e999", b"-Infinity", b"NaN", b"[" * 3000, b"{" * 3000, b"<a>" * 3000, b"%00",
    b"file://[x/a", b"\\ud83d", b"\\u0000", b"&#0;", b"&#x110000;", b'"', b"'", b"\n", b"\r", b"../" * 50, b"utf-7",
    b"idna", b"zlib", b"true", b"null", b"[]", b"{}", b"0", b"-1", b"18446744073709551616", b"1e30", b"*" * 60,
]  # fmt: skip
edits = st.lists(
    st.tuples(st.sampled_from(["cut", "put", "copy", "flip"]), st.integers(0, 10_000), st.sampled_from(PIECES)),
    min_size=1, max_size=4,
)  # fmt: skip


def edited(content: bytes, changes: list[tuple[str, int, bytes]]) -> bytes:
    for what, at, piece in changes:
        at %= len(content) + 1
        if what == "cut":
            content = content[:at]
        elif what == "put":
            content = content[:at] + piece + content[at + len(piece) % 7 :]
        elif what == "copy":
            content = content[:at] + content[at // 2 :]
        elif content:
            at %= len(content)
            content = content[:at] + bytes([content[at] ^ (1 << (len(piece) % 8))]) + content[at + 1 :]
    return content


def answers(reader: str, path: Path) -> None:
    """Read a file; only errors of ours may come."""
    try:
        READERS[reader](path)
    except UnicodeEncodeError:  # a ValueError, but nobody's answer
        raise
    except OURS:
        return


@pytest.mark.parametrize("reader", READERS)
@settings(
    max_examples=EXAMPLES,
    deadline=None,
    suppress_health_check=[HealthCheck.function_scoped_fixture],
)
@given(data=st.data(), changes=edits)
def test_a_changed_file_is_an_answer_or_an_error_of_ours(tmp_path: Path, reader: str, data, changes):
    path = tmp_path / "file"
    path.write_bytes(edited(data.draw(st.sampled_from(SEEDS[reader])), changes))
    answers(reader, path)


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
    "version of a bag": ("declaration", lambda: SEEDS["declaration"][0].replace(b"1.0", b"9" * 5000 + b".0")),
    "encoding of a bag": ("declaration", lambda: b"BagIt-Version: 1.0\nTag-File-Character-Encoding: hex\n"),
    "slow encoding": ("declaration", lambda: b"BagIt-Version: 1.0\nTag-File-Character-Encoding: punycode\n"),
    "NUL in an encoding": ("declaration", lambda: b"BagIt-Version: 1.0\nTag-File-Character-Encoding: a\0b\n"),
    "address of a fetch": ("fetch", lambda: b"http://[x 1 data/a\n"),
    "long oxum": ("tags", lambda: b"Payload-Oxum: " + b"9" * 5000 + b".1\n"),
    "odd address": ("m3u", lambda: b"file://[x/a\n"), "size in a docket": (
        "docket", lambda: SEEDS["docket"][0].replace(b",1,", b"," + b"9" * 5000 + b",")),
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
        for name, content in [("p/bagit.txt", SEEDS["declaration"][0]), ("p/manifest-md5.txt", text),
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

    with sqlite3.connect(":memory:") as made:
        made.execute(
            "CREATE VIEW v AS WITH RECURSIVE n(x) AS (SELECT 1 UNION ALL SELECT x + 1 FROM n)"
            " SELECT x FROM n WHERE x < 0"
        )
        return made.serialize()


def bounded(work: Callable[[], None]) -> tuple[int, int]:
    """Do something in a child with bounded memory and time; return its exit status and its peak memory in KiB."""
    child = os.fork()
    if child == 0:
        signal.alarm(SECONDS)
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


@pytest.mark.parametrize("what", HOSTILE)
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
