"""Files as systems write them for themselves, made by their published forms."""

import gzip
import struct
import zlib


def previews(*streams: str) -> bytes:
    """Return a compound file ([MS-CFB]) with a list of previews and some of them, as Windows keeps them."""
    names = ["Root Entry", "Catalog", *(streams or ("1", "256_a1b2c3d4e5f60718"))]
    table = struct.pack("<128I", 0xFFFFFFFD, 0xFFFFFFFE, *[0xFFFFFFFF] * 126)
    entries = b"".join(
        name.encode("utf-16-le").ljust(64, b"\0") + struct.pack("<HB", 2 * len(name) + 2, 2 if at else 5) + bytes(61)
        for at, name in enumerate(names)
    )
    header = b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + bytes(22) + struct.pack("<HH", 9, 6) + bytes(10)
    header += struct.pack("<IIIIIIIII", 1, 1, 0, 4096, 0xFFFFFFFE, 0, 0xFFFFFFFE, 0, 0)
    return (
        header.ljust(80, b"\xff")[:76]
        + struct.pack("<109I", 0, *[0xFFFFFFFF] * 108)
        + table
        + entries.ljust(512, b"\0")
    )


def folder_view(words: bytes = b"") -> bytes:
    """Return the beginning of a file in which a desktop keeps how it shows a folder, as far as we understand it."""
    return b"\0\0\0\1Bud1" + struct.pack(">III", 0x20, 0x20, 0x20) + bytes(44) + words.ljust(64, b"\0")


def thumbnail(said: bytes = b"Thumb::URI\0file:///kites/a.jpg") -> bytes:
    parts = ((b"IHDR", bytes(13)), (b"tEXt", said), (b"IEND", b""))
    chunks = [struct.pack(">I", len(b)) + k + b + struct.pack(">I", zlib.crc32(k + b)) for k, b in parts]
    return b"\x89PNG\r\n\x1a\n" + b"".join(chunks)


def event_log(page: bytes = b"2SLD") -> bytes:
    return gzip.compress(page + bytes(4) + struct.pack("<I", 20) + b"/DCIM\0..", mtime=0)


def companion(name: bytes = b"com.apple.quarantine", fork: bytes = b"") -> bytes:
    """Return an AppleDouble file (RFC 1740) with one attribute and, if given, a resource fork."""
    named = name + b"\0"
    entry = struct.pack(">IIHB", 200, 4, 0, len(named)) + named
    attributes = b"ATTR" + bytes(30) + struct.pack(">H", 1) + entry.ljust((len(entry) + 3) & ~3, b"\0")
    body = bytes(32) + bytes(2) + attributes + b"word"
    at = 26 + 24
    entries = struct.pack(">IIIIII", 9, at, len(body), 2, at + len(body), len(fork))
    return struct.pack(">II16sH", 0x00051607, 0x00020000, b"", 2) + entries + body + fork


LITTER = {
    "DCIM/Thumbs.db": previews(),
    ".DS_Store": folder_view(),
    ".sh_thumbnails/normal/0123456789abcdef0123456789abcdef.png": thumbnail(),
    "System Volume Information/IndexerVolumeGuid": "{01234567-89AB-cdef-0123-456789abcdef}".encode("utf-16-le"),
    "System Volume Information/WPSettings.dat": b"\x0c\0\0\0abcdefgh",
    ".fseventsd/0123456789abcdef": event_log(),
    ".fseventsd/fseventsd-uuid": b"01234567-89AB-CDEF-0123-456789ABCDEF",
    "DCIM/desktop.ini": b"[.ShellClassInfo]\r\nIconResource=a.dll,4\r\n",
    "DCIM/._IMG_1.jpg": companion(),
}
"""What systems leave on a card, by path."""

NO_LITTER = {
    "DCIM/Thumbs.db": previews("1", "A letter"),
    "Thumbs.db": b"of the system",
    ".DS_Store": folder_view(b"cmmtustr A comment that somebody wrote"),
    ".sh_thumbnails/normal/0123456789abcdef0123456789abcdef.png": thumbnail(b"Title\0The last picture"),
    "thumbnail.png": thumbnail(),
    "System Volume Information/IndexerVolumeGuid": b"{not a guid}",
    "System Volume Information/photo.jpg": b"a picture",
    ".fseventsd/0123456789abcdef": gzip.compress(b"words", mtime=0),
    "desktop.ini": b"[.ShellClassInfo]\r\nInfoTip=The last day of the kites\r\n",
    "DCIM/._IMG_1.jpg": companion(b"com.apple.metadata:_kMDItemUserTags"),
    "DCIM/._IMG_2.jpg": companion(fork=b"a drawing of somebody's"),
    "DCIM/._IMG_3.jpg": companion()[:-3],
    "lost+found/IMG_4.jpg": b"picture 4",
    "FOUND.000/FILE0000.CHK": b"picture 5",
    "Recycled/IMG_6.jpg": b"picture 6",
    "a/b/WPSystem/IMG_7.jpg": b"picture 7",
    "Trash/files/IMG_8.jpg": b"picture 8",
    ".Trashes/501/IMG_9.jpg": b"picture 9",
    ".foldkeep/20260101T000000Z-00000000/rest-000001.jpg": b"the rest of a picture",
    ".foldkeep/IMG_10.jpg": b"picture 10",
    ".foldkeep/20260101T000000Z-00000000/IMG_11.jpg": b"picture 11",
    ".foldkeep/README.txt": b"somebody's own",
}
"""What has such a name, or lies where such files do, and may be the only one of its kind."""
