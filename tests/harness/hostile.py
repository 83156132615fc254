"""What is made to do harm takes little memory and time."""

import atexit
import base64
import gzip
import hashlib
import io
import json
import os
import shutil
import tarfile
import tempfile
import zipfile
import zlib
from collections.abc import Callable
from functools import cache
from pathlib import Path

import zstandard
from blake3 import blake3
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from PIL import Image, PngImagePlugin

from foldkeep.archive import open_restoration
from foldkeep.demo.pictures import jpeg
from foldkeep.demo.sounds import encoded, film, proxy, tune, wav
from foldkeep.engine import alike_of_many, open_inventories
from foldkeep.find.copies import duplicates
from foldkeep.fold.elsewhere import Protections
from foldkeep.fold.journal.records import decoded
from foldkeep.fold.servers.vault import page_records
from foldkeep.formats.catalogs import catalog_source, read_catalog, read_thumbnail
from foldkeep.formats.columns import ColumnsReader, save_columns
from foldkeep.formats.columns.seal import seal
from foldkeep.formats.documents import kind_of_litter, mentions_in, read_bin_info, records_of, timeline_seconds
from foldkeep.formats.own import (
    InventoryHead,
    InventoryPlace,
    InventoryReader,
    Piece,
    Rest,
    read_recipes,
    read_rest,
    read_settings,
    written_rest,
)
from foldkeep.formats.own.inventory import _seal
from foldkeep.formats.packages import Listing, bagit, open_package
from foldkeep.formats.schedules import crontab_lines, launchd_plist, reminder_in, systemd_timer
from foldkeep.formats.sidecars import parse_xmp, with_words
from foldkeep.formats.sidecars.xmp import Xmp
from foldkeep.formats.signed import public_key, read_public_line, read_voucher, write_voucher
from foldkeep.keep import read_docket
from foldkeep.model import Filter, FoldKeepError, no_progress
from foldkeep.model.machines import Machine
from foldkeep.model.reminders import Reminder
from foldkeep.model.vouchers import VouchedFile, Voucher
from foldkeep.scan.own_papers import is_own_paper
from foldkeep.scan.packages import check_package
from foldkeep.show.answers.alike import AlikeAnswer, alike_rows_of_table
from foldkeep.signals import CUTS, FILM_PRINT, PHOTO_PRINT, SIDE, SOUND_PRINT, Apart
from foldkeep.signals.decoded import Form
from foldkeep.signals.essences import NoEssence, essence_of, outline_of
from foldkeep.signals.extractors import MEDIA_FACTS
from foldkeep.signals.saved import read_signals
from foldkeep.stock import Prints, Stock
from foldkeep.storage.dav.multistatus import answers as multistatus_answers
from harness.containers import filmed, recorded, remuxed, scanned
from harness.documents import database, edl, otio, referring, xml
from harness.essences import MADE, Held, made
from harness.litter import LITTER

_KEY = Ed25519PrivateKey.from_private_bytes(b"a key of the tests, of 32 bytes.")
OURS = (OSError, ValueError, FoldKeepError)


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
        lines = map(json.loads, path.read_bytes().splitlines())
        return [decoded(line, b"/place") for line in lines if isinstance(line, dict)]
    except (KeyError, TypeError, OverflowError, RecursionError) as error:  # as the reader of journals takes them
        raise ValueError("no line of ours") from error


def litter(path: Path) -> object:
    content = path.read_bytes()
    found = [kind_of_litter(os.fsencode(f"/card/{name}"), content) for name in LITTER]
    return found, is_own_paper(b"/.foldkeep/k/journal-2.jsonl", content), is_own_paper(b"/.foldkeep/lock", content)


def columns(path: Path) -> object:
    """Read a file as an inventory by columns, folder by folder and as one of several."""
    told = [len(folder.names) for folder in ColumnsReader(str(path)).folders()]
    with open_inventories([str(path), columns_file()]) as asked:
        found = duplicates(asked.stock)
        sums = asked.stock.listing.sums("folder and kind", Filter())
        return told, found.overview(), list(found.sets()), sums, list(asked.stock.listing.files(Filter(), "size", 9))


def sealed_columns(path: Path) -> object:
    """Read a file as an inventory by columns whose seal is right."""
    with open(path, "r+b") as file:
        seal(file)
    return columns(path)


def signals(path: Path) -> object:
    """Read a file as what an inventory carries of two contents, and compare these."""
    said = path.read_bytes().decode("utf-8", "replace")
    read_signals(said)
    saved = path.with_name("signals.parquet")
    saved.unlink(missing_ok=True)
    place = InventoryPlace(b"/media", "media", "working", "uuid:1", "disk", 1)
    named = [(b"a.jpg", "photo"), (b"b.mov", "video"), (b"c.wav", "audio")]
    rows = [
        (name, kind, 7, 1, number, 1, 1000, None, None, None, None, bytes([number]) * 32)
        for number, (name, kind) in enumerate(named, 1)
    ]
    head = InventoryHead(1, [place], {"uuid:1": "disk"}, Machine("0" * 32, "edit-01"))
    save_columns(str(saved), head, [(b"/media", 0, "uuid:1", rows)], signals=[(row[-1], said) for row in rows])
    with (
        open_inventories([str(saved)]) as asked,
        Prints(":memory:", PHOTO_PRINT.name, PHOTO_PRINT.version) as photos,
        Prints(":memory:", SOUND_PRINT.name, SOUND_PRINT.version) as sounds,
        Prints(":memory:", FILM_PRINT.name, FILM_PRINT.version) as films,
    ):
        prints = {PHOTO_PRINT: photos, FILM_PRINT: films, SOUND_PRINT: sounds}
        answer = AlikeAnswer(alike_of_many(asked, prints, Filter(), "fair", no_progress).groups, None, None, 0)
        return json.dumps(answer.document()), list(alike_rows_of_table(answer.groups))


def signed_voucher(path: Path) -> object:
    """Read lines as a voucher that is signed as they are."""
    text = path.read_bytes()
    signature = base64.b64encode(_KEY.sign(text.rstrip(b"\n") + b"\n")).decode()
    path.write_bytes(text.rstrip(b"\n") + b'\n{"signature": "%s"}\n' % signature.encode())
    return READERS["voucher"](path)


def protection(path: Path) -> object:
    """Read a file as one that protects what a machine has vouched for."""
    fold = path.parent / ".foldkeep"
    fold.mkdir(exist_ok=True)
    (fold / "vouched-a.jsonl").write_bytes(path.read_bytes())
    return Protections().of(os.fsencode(path.parent / "kite.jpg"))


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


def damaged(kind: str) -> Callable[[Path], object]:
    """Look for damage as `scan --check-media` does; by its suffix a file promises to be decodable."""

    def ask(path: Path) -> object:
        named = path.rename(path.with_suffix({"photo": ".jpg", "audio": ".mp3", "video": ".mp4"}[kind]))
        return HELPER.damage(os.fsencode(named), kind, named.stat().st_size)

    return ask


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
    content = {bagit.LISTING: path.read_bytes(), "bagit.txt": DECLARATION, "data/a": b"x"}
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


def essence(path: Path) -> object:
    source = Held(path.read_bytes())
    for ask in (outline_of, essence_of):
        try:
            ask(source)
        except NoEssence:
            continue
    return None


def compared(kind: str, source: Callable[[], bytes]) -> Callable[[Path], object]:
    """Compare a file with what it is said to be made from, and that with it."""

    def read(path: Path) -> object:
        beside = path.with_name("source")
        beside.write_bytes(source())
        one, other = os.fsencode(path), os.fsencode(beside)
        return HELPER.difference(one, other, kind), HELPER.difference(other, one, kind)

    return read


READERS: dict[str, Callable[[Path], object]] = {
    **{form: catalog(form) for form in ("list", "csv", "json", "jsonl", "m3u", "pls", "xspf", "otio", "edl", "sqlite")},
    "mentions": lambda path: mentions_in(os.fsencode(path)),
    "timeline": lambda path: mentions_in(os.fsencode(path.rename(path.with_suffix(".otio")))),
    "edit list": lambda path: mentions_in(os.fsencode(path.rename(path.with_suffix(".edl")))),
    "length": lambda path: timeline_seconds(os.fsencode(path.rename(path.with_suffix(".otio")))),
    "manifest": lambda path: list(records_of(os.fsencode(path))),
    "thumbnail": lambda path: read_thumbnail(os.fsencode(path)),
    "settings": lambda path: read_settings(str(path), needed=True),
    "reminder": lambda path: reminder_in(path.read_text("utf-8", "surrogateescape")),
    "recipes": lambda path: read_recipes(str(path)),
    "docket": lambda path: read_docket(str(path)),
    "bin info": lambda path: read_bin_info(path.read_bytes()),
    "inventory": inventory,
    "sealed inventory": sealed_inventory,
    "voucher": lambda path: read_voucher(str(path), {"0" * 32: _KEY.public_key().public_bytes_raw()}.get),
    "signed voucher": signed_voucher,
    "machine key": lambda path: read_public_line(str(path)),
    "protection": protection,
    "columns": columns,
    "signals": signals,
    "sealed columns": sealed_columns,
    "journal": journal,
    "litter": litter,
    "page": lambda path: page_records(path.read_bytes(), b"https://cloud.example/kites"),
    "multistatus": lambda path: [each.file(b"a", b"/me") for each in multistatus_answers([path.read_bytes()])],
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
    **{
        extractor.name: lambda path, extractor=extractor: HELPER.print(
            extractor, os.fsencode(path), path.stat().st_size
        )
        for extractor in (PHOTO_PRINT, SOUND_PRINT, FILM_PRINT)
    },
    **{
        f"view of {kind}": lambda path, kind=kind: HELPER.view(os.fsencode(path), kind, (0.0, 1.0))
        for kind in ("photo", "audio", "video")
    },
    "essence": essence,
    "decoded": lambda path: HELPER.decoded(os.fsencode(path), path.stat().st_size),
    "form": lambda path: [Form.read(form) for form in (HELPER.form(os.fsencode(path)),) if form],
    "rest": lambda path: read_rest(path.read_bytes()),
    "sealed rest": lambda path: read_rest(path.read_bytes() + blake3(path.read_bytes()).digest()),
    "preview": compared("photo", lambda: jpeg(1, "camera", "2025:06:14 09:12:03")),
    "proxy": compared("video", lambda: film(1, 0.4)),
    "two films": lambda path: HELPER.films_agree(os.fsencode(path), os.fsencode(path), 0.1),
    **{f"damaged {kind}": damaged(kind) for kind in ("photo", "audio", "video")},
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


_WORDS = {"sharpness": 9.5, "quality": 90, "color": 30.0, "within": 1.0}
_SAID = {
    PHOTO_PRINT: {"print": bytes(range(32)), "parts": bytes(range(32)) * len(CUTS), "detail": bytes(SIDE * SIDE)},
    SOUND_PRINT: {"print": bytes(range(1, 251)) * 16},
    FILM_PRINT: {"print": b"".join(each.to_bytes(8, "little") for each in (9000, 1000, *range(0, 9000, 300)))},
}
SIGNALS = [
    json.dumps({
        extractor.name: {"version": extractor.version, **_WORDS,
                         **{name: base64.b64encode(blob).decode() for name, blob in blobs.items()}},
        "media facts": {"version": MEDIA_FACTS.version, "format": "JPEG", "width": 480, "height": 270, "seconds": 9.0,
                        "captured": "2025-06-14T09:12:03", "camera": "A", "keywords": ["kite"], "rating": -1.0,
                        "bit_rate": 9000, "audio_codec": "aac"},
    }).encode()
    for extractor, blobs in _SAID.items()
]  # fmt: skip


REMINDER = Reminder("2w", "20:00", "file", ("foldkeep", "remind", "--if-due"))
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


def tiff() -> bytes:
    stream = io.BytesIO()
    Image.new("RGB", (9, 7)).save(stream, "TIFF", compression="tiff_lzw")
    return stream.getvalue()


def preview() -> bytes:
    image = Image.open(io.BytesIO(jpeg(1, "camera", "2025:06:14 09:12:03")))
    stream = io.BytesIO()
    image.resize((image.width // 3, image.height // 3)).save(stream, "JPEG")
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


REST = written_rest(
    Rest("jpeg", bytes(32), 800, 310, b"k" * 32, (Piece(9, 700, 100), Piece(1, 0, 200)), b"kites over")
)  # fmt: skip


MULTISTATUS = (
    b'<?xml version="1.0"?><d:multistatus xmlns:d="DAV:"><d:response><d:href>/kites/red%20kite.jpg</d:href><d:propstat>'
    b"<d:prop><d:getcontentlength>12</d:getcontentlength><d:getetag>&quot;a-1&quot;</d:getetag><d:resourcetype/>"
    b"<d:getlastmodified>Fri, 13 Jun 2025 08:00:00 GMT</d:getlastmodified><d:owner><d:href>/me</d:href></d:owner>"
    b"<d:current-user-privilege-set><d:privilege><d:unbind/></d:privilege></d:current-user-privilege-set>"
    b"<d:quota-used-bytes>9</d:quota-used-bytes></d:prop><d:status>HTTP/1.1 200 OK</d:status></d:propstat></d:response>"
    b"</d:multistatus>"
)


@cache
def columns_file(volume: str = "uuid:1") -> str:
    """Write an inventory by columns, with a volume that its place may not lie on, and return where."""
    folder = tempfile.mkdtemp(prefix="columns-")
    atexit.register(shutil.rmtree, folder, True)
    place = InventoryPlace(b"/media", "media", "working", "uuid:1", "the disk", 5)
    head = InventoryHead(10**18, [place], {volume: "the disk"}, Machine("0" * 32, "edit-01"))
    row = (b"kite.jpg", "photo", 4, 1, 7, 1, 1000, 8, None, None, 5, bytes(32))
    rows = [row, (b"copy.jpg", *row[1:4], 8, 2, *row[6:]), (b"sun.jpg", *row[1:11], None)]
    path, _, _ = save_columns(
        f"{folder}/a.parquet", head, [(b"/media/a", 0, "uuid:1", rows), (b"/media/b", 0, "uuid:1", [])]
    )
    return path


def _voucher() -> bytes:
    file = VouchedFile(b"/media/kite.jpg", 4, bytes(32), 7, 1, bytes(32))
    voucher = Voucher(Machine("0" * 32, "edit-01"), bytes(32), 10**18, bytes(32), (file, file))
    with tempfile.TemporaryDirectory() as folder:
        return Path(write_voucher(f"{folder}/v", voucher, _KEY)).read_bytes()


DECLARATION = b"BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n"


@cache
def seeds() -> dict[str, list[bytes]]:
    """Return files that each reader takes, by its name; made when they are asked for first."""
    columns, voucher = Path(columns_file()).read_bytes(), _voucher()
    return {
        "litter": list(LITTER.values()),
        "page": [JOURNAL], "multistatus": [MULTISTATUS],
        "list": ["\n".join(PATHS).encode()], "csv": [b"path,rating,keywords\n/v/a.mov,4,kite;sea\n"],
        "json": [json.dumps([{"path": path, "rating": 3} for path in PATHS]).encode()],
        "jsonl": ["\n".join(json.dumps({"path": path}) for path in PATHS).encode()],
        "m3u": ["\n".join(PATHS).encode()], "pls": [b"[playlist]\nFile1=/v/a.mov\n"], "xspf": [XSPF],
        "otio": [otio(referring(PATHS))], "edl": [edl(PATHS)], "sqlite": [database(list(PATHS))],
        "mentions": [xml(PATHS).encode(), gzip.compress(b"kite.mov"), zlib.compress(b"kite.mov"), bag(),
                     database(list(PATHS)), json.dumps(PATHS).encode()],
        "timeline": [otio(referring(PATHS))], "edit list": [edl(PATHS)], "length": [otio(referring(PATHS))],
        "manifest": [b"a.bin\t../b.mov\n", b'{"a.bin": "../b.mov"}'], "thumbnail": [thumbnail()],
        "reminder": [systemd_timer(REMINDER).encode(), crontab_lines(REMINDER).encode(), launchd_plist(REMINDER)],
        "settings": [b'[fold]\nlitter = ["Thumbs.db"]\n[caches]\nrecipes = "r.toml"\n'], "recipes": [RECIPE],
        "docket": [b"set,action,path,size,kind,modified,digest,reason,uri\n"
                   b"a,fold,/a,1,photo,2025-06-14T09:12:03Z,,r,file:///a\n"],
        "inventory": [gzip.compress(b'{"format": "foldkeep inventory", "version": 1}\n')],
        "voucher": [voucher, voucher.replace(b"}\n{", b"}\n\n{", 1)],
        "signed voucher": [voucher.rpartition(b'{"sig')[0]],
        "machine key": [public_key(_KEY, Machine("0" * 32, "edit-01")).line.encode()],
        "protection": [b'{"format": "foldkeep vouched", "version": 1, "docket": "00", "until_ns": 0, "made_ns": 1}\n'
                       b'{"uri": "file:///kite.jpg"}\n{"whole": true}\n'],
        "signals": SIGNALS,
        "columns": [columns], "sealed columns": [columns],
        "sealed inventory": [INVENTORY], "journal": [JOURNAL],
        "package": [bag()], "checked": [bag()], "sidecar": [XMP], "listing": [LISTING],
        "restored": [WHOLE_LISTING, WHOLE_LISTING.replace(b'"form": "folder"', b'"form": "link", "target": "../a"')],
        "tar": [tar_bag()], "zst": [zstandard.compress(tar_bag())], "disc": [disc_bag()],
        "stock": [known_stock()], "photo": [jpeg(1, "camera", "2025:06:14 09:12:03"), thumbnail()],
        "audio": [wav(tune([0, 4, 7])), encoded(tune([0, 4]), "flac", {"title": "march"})], "video": [film(1, 0.4)],
        "photo print": [jpeg(1, "camera", "2025:06:14 09:12:03"), tiff(), thumbnail()],
        "sound print": [wav(tune([0, 4, 7, 0, 2, 5, 7, 9, 4])), encoded(tune([0, 4, 7, 5, 2]), "mp3", {})],
        "view of photo": [jpeg(1, "camera", "2025:06:14 09:12:03"), tiff()], "view of audio": [wav(tune([0, 4, 7]))],
        "view of video": [film(1, 1.5)], "film print": [film(1, 2.0), film(2, 0.4)], "two films": [film(1, 2.0)],
        "damaged photo": [jpeg(1, "camera", "2025:06:14 09:12:03"), tiff()],
        "damaged audio": [wav(tune([0, 4, 7])), encoded(tune([0, 4]), "mp3", {"title": "march"})],
        "decoded": [filmed(), remuxed(filmed(), "mpegts"), recorded("flac", "flac"), scanned("TIFF"), scanned("PNG")],
        "form": [filmed(), scanned("JPEG"), recorded("wav", "pcm_s16le")],
        "essence": [made(name) for name in MADE], "rest": [REST], "sealed rest": [REST[:-32]],
        "damaged video": [film(1, 0.4)], "proxy": [proxy(film(1, 0.4))], "preview": [preview()],
        "bin info": [b"[Trash Info]\nPath=kites/red%20one.jpg\nDeletionDate=2026-01-02T03:04:05\n"],
        "declaration": [DECLARATION],
        "fetch": [b"https://a/b 12 data/a\n"], "tags": [b"Payload-Oxum: 1.1\nBag-Size: 1 kB\n"],
    }  # fmt: skip


def answers(reader: str, path: Path) -> None:
    """Read a file; only errors of ours may come."""
    try:
        READERS[reader](path)
    except UnicodeEncodeError:  # a ValueError, but nobody's answer
        raise
    except OURS:
        return
