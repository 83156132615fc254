"""Files that systems write for themselves on every drive, known by their names and their parsed content.

Sources: [MS-CFB] (compound files, in which Windows keeps previews), RFC 1740 (AppleDouble), the Thumbnail Managing
Standard of freedesktop.org. What is not understood to its end is no litter; nor is what somebody may have written.
"""

import re
import struct
import zlib
from collections.abc import Callable

LARGEST_LITTER = 64 * 1024 * 1024
"""How large such a file may be, in bytes."""

_GUID = re.compile(r"\{[0-9A-Fa-f]{8}(-[0-9A-Fa-f]{4}){3}-[0-9A-Fa-f]{12}\}")
_UUID = re.compile(rb"[0-9A-Fa-f]{8}(-[0-9A-Fa-f]{4}){3}-[0-9A-Fa-f]{12}\n?")
_PREVIEW_STREAM = re.compile(r"Catalog|\d{1,10}|\d{1,4}_[0-9a-f]{1,16}", re.IGNORECASE)
_FREE, _END = 0xFFFFFFFF, 0xFFFFFFFE
_MOST_INFLATED = 8 * 1024 * 1024
_LOOKS_KEYS = frozenset({"iconfile", "iconindex", "iconresource", "confirmfileop", "mode", "vid", "foldertype",
                         "localizedresourcename", "localizedfilenames", "logo"})  # fmt: skip
_LOOKS_SECTIONS = frozenset({".shellclassinfo", "viewstate"})
_PLAIN_ATTRIBUTES = frozenset({b"com.apple.quarantine", b"com.apple.provenance", b"com.apple.lastuseddate#PS",
                               b"com.apple.macl", b"com.apple.TextEncoding"})  # fmt: skip


def _is_preview_store(content: bytes) -> bool:
    """Tell whether a compound file holds previews and their list, and nothing else."""
    if content[:8] != b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1":
        return False
    (shift,) = struct.unpack_from("<H", content, 30)
    if shift not in (9, 12):
        return False
    size = 1 << shift
    (first,) = struct.unpack_from("<I", content, 48)
    table = _sector_table(content, size)
    names = []
    sector, seen = first, 0
    while sector != _END:
        seen += 1
        if sector >= len(table) or seen > len(table):
            return False
        start = (sector + 1) * size
        for at in range(start, start + size, 128):
            length, kind = struct.unpack_from("<HB", content, at + 64)
            if kind in (1, 5):
                names.append("" if kind == 5 else "\0")  # the root, or a folder, which such a store has none of
            elif kind == 2:
                names.append(content[at : at + max(0, length - 2)].decode("utf-16-le"))
        sector = table[sector]
    streams = [name for name in names if name]
    return "Catalog" in streams and all(_PREVIEW_STREAM.fullmatch(name) for name in streams)


def _sector_table(content: bytes, size: int) -> list[int]:
    """Return which sector follows each: only the 109 parts of the table that the header names, for 7 MB of file."""
    parts = [part for part in struct.unpack_from("<109I", content, 76) if part not in (_FREE, _END)]
    table: list[int] = []
    for part in parts:
        table += struct.unpack_from(f"<{size // 4}I", content, (part + 1) * size)
    return table


def _is_folder_view(content: bytes) -> bool:
    """Tell whether a file says how a window shows a folder, without a comment that somebody wrote."""
    if content[:8] != b"\0\0\0\1Bud1" or len(content) % 4 or b"cmmt" in content:
        return False
    offset, size, again = struct.unpack_from(">III", content, 8)
    return bool(offset == again and 4 + offset + size <= len(content))


def _is_shown_picture(content: bytes) -> bool:
    """Tell whether a PNG says which file it is a thumbnail of."""
    if content[:8] != b"\x89PNG\r\n\x1a\n":
        return False
    at, said = 8, False
    while True:
        length, kind = struct.unpack_from(">I4s", content, at)
        said = said or (kind == b"tEXt" and content[at + 8 : at + 8 + min(length, 11)] == b"Thumb::URI\0")
        if kind == b"IEND":
            return said and at + 12 == len(content)
        at += 12 + length


def _is_volume_number(content: bytes) -> bool:
    text = content.decode("utf-16-le") if len(content) == 76 else ""
    return bool(_GUID.fullmatch(text)) or bool(_UUID.fullmatch(content))


def _is_volume_settings(content: bytes) -> bool:
    return len(content) == 12 and content[:4] == b"\x0c\0\0\0"


def _is_event_log(content: bytes) -> bool:
    """Tell whether a file is a packed list of what changed on a volume, from its beginning to its end."""
    if content[:2] != b"\x1f\x8b":
        return False
    inflated = zlib.decompressobj(31)
    text = inflated.decompress(content, _MOST_INFLATED)
    at = 0
    while at < len(text):
        if not re.match(rb"[123]SLD", text[at : at + 4]):
            return False
        length = struct.unpack_from("<I", text, at + 8)[0]
        if length < 12:
            return False
        at += length
    return inflated.eof and bool(text) and at == len(text)


def _is_folder_looks(content: bytes) -> bool:
    """Tell whether a file names the icon and type of a folder, and nothing that somebody wrote of it."""
    text = content.decode("utf-16") if content[:2] in (b"\xff\xfe", b"\xfe\xff") else content.decode("utf-8-sig")
    section = ""
    for line in filter(None, map(str.strip, text.splitlines())):
        if line.startswith("["):
            section = line.strip("[]").lower()
        elif section not in _LOOKS_SECTIONS or line.partition("=")[0].strip().lower() not in _LOOKS_KEYS:
            return False
        if section not in _LOOKS_SECTIONS:
            return False
    return bool(section)


def _is_plain_companion(content: bytes) -> bool:
    """Tell whether an AppleDouble file holds only what the system notes of where a file came from."""
    magic, _, count = struct.unpack_from(">II16xH", content, 0)
    if magic != 0x00051607 or not 0 < count <= 8:
        return False
    for entry in range(count):
        kind, offset, length = struct.unpack_from(">III", content, 26 + 12 * entry)
        body = content[offset : offset + length]
        if len(body) != length:
            return False
        if kind == 9:
            if any(body[:32]) or not _has_plain_attributes(content, offset, length):
                return False
        elif kind == 2:
            if length > 286 or (length and b"This resource fork intentionally left blank" not in body):
                return False
        else:
            return False
    return True


def _has_plain_attributes(content: bytes, offset: int, length: int) -> bool:
    if length <= 34:
        return True
    at = offset + 34
    if content[at : at + 4] != b"ATTR":
        return False
    (count,) = struct.unpack_from(">H", content, at + 34)
    at += 36
    for _ in range(count):
        (named,) = struct.unpack_from(">10xB", content, at)
        name = content[at + 11 : at + 11 + named].rstrip(b"\0")
        if name not in _PLAIN_ATTRIBUTES:
            return False
        at += (11 + named + 3) & ~3
    return at <= offset + length


_FORMS: tuple[tuple[str, re.Pattern[bytes], Callable[[bytes], bool]], ...] = (
    ("previews of Windows", re.compile(rb"/(eh)?thumbs\.db"), _is_preview_store),
    ("the view of a folder", re.compile(rb"/\.ds_store"), _is_folder_view),
    ("a thumbnail", re.compile(rb"/\.sh_thumbnails/[^/]+/[0-9a-f]{32}\.png"), _is_shown_picture),
    ("the number of a volume", re.compile(rb"/system volume information/indexervolumeguid"), _is_volume_number),
    ("the number of a volume", re.compile(rb"/\.fseventsd/fseventsd-uuid"), _is_volume_number),
    ("settings of a volume", re.compile(rb"/system volume information/wpsettings\.dat"), _is_volume_settings),
    ("a log of changes", re.compile(rb"/\.fseventsd/[0-9a-f]{16}"), _is_event_log),
    ("the icon of a folder", re.compile(rb"/desktop\.ini"), _is_folder_looks),
    ("where a file came from", re.compile(rb"/\._[^/]+"), _is_plain_companion),
)  # fmt: skip
"""Kinds of litter: in words, the end of the path that it has, and how its content is told. Both must be so."""


def may_be_litter(path: bytes) -> bool:
    """Tell whether a path is that of a kind of litter, so that its content is worth a look."""
    return any(_ends(path, names) for _, names, _ in _FORMS)


def kind_of_litter(path: bytes, content: bytes) -> str:
    """Return what a whole file is that a system wrote for itself, in words; empty if it is not that for sure."""
    for words, names, is_it in _FORMS:
        try:
            if _ends(path, names) and is_it(content):
                return words
        except (struct.error, IndexError, ValueError, zlib.error):
            continue
    return ""


def _ends(path: bytes, names: re.Pattern[bytes]) -> bool:
    steps = path.lower().rsplit(b"/", 3)
    return any(names.fullmatch(b"/" + b"/".join(steps[-count:])) for count in (1, 2, 3))
