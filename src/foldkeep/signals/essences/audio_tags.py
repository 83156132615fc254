"""Tags before and behind the sound in files of sound frames: ID3v2 and ID3v1, APEv2, Lyrics3."""

import struct

from .parts import NoEssence, Source

_APE = b"APETAGEX"
_MOST_TAGS = 8
_NO_FLAGS = {2: 0x3F, 3: 0x1F, 4: 0x0F}  # bits that are 0 in each version of ID3v2


def start_of_sound(source: Source) -> int:
    """Return where the tags at the beginning of a file end; NoEssence if they do not end."""
    at = 0
    for _ in range(_MOST_TAGS):
        head = source.read(at, min(32, source.size - at))
        if head[:3] == b"ID3" and len(head) >= 10:
            if head[3] not in (2, 3, 4) or head[4] == 0xFF or head[5] & _NO_FLAGS[head[3]]:
                raise NoEssence("a tag in it is damaged")
            at += 10 + _synchsafe(head[6:10]) + (10 if head[5] & 0x10 else 0)
        elif head[:8] == _APE and len(head) == 32:
            at += 32 + struct.unpack("<I", head[12:16])[0]
        else:
            return at
        if at > source.size:
            break
    raise NoEssence("its tags do not end")


def end_of_sound(source: Source, start: int) -> int:
    """Return where the tags at the end of a file begin."""
    end = source.size
    for _ in range(_MOST_TAGS):
        found = _before(source, start, end)
        if found == end:
            return end
        end = found
    raise NoEssence("it has too many tags")


def _before(source: Source, start: int, end: int) -> int:
    """Return where the tag begins that ends there; that place itself if there is none."""
    length = end - start
    if length >= 128 and source.read(end - 128, 3) == b"TAG":
        return end - 128
    if length >= 32 and source.read(end - 32, 8) == _APE:
        size, _, flags = struct.unpack("<III", source.read(end - 20, 12))
        before = 32 if flags & 0x80000000 else 0
        if size < 32 or size + before > length:
            raise NoEssence("a tag in it is damaged")
        return int(end - size - before)
    if length >= 20 and source.read(end - 9, 9) == b"LYRICS200":
        digits = source.read(end - 15, 6)
        if not digits.isdigit() or int(digits) + 15 > length:
            raise NoEssence("a tag in it is damaged")
        at = end - 15 - int(digits)
        if source.read(at, 11) != b"LYRICSBEGIN":
            raise NoEssence("a tag in it is damaged")
        return at
    if length >= 10 and source.read(end - 10, 3) == b"3DI":
        size = 20 + _synchsafe(source.read(end - 4, 4))
        if size > length:
            raise NoEssence("a tag in it is damaged")
        return end - size
    return end


def _synchsafe(four: bytes) -> int:
    if any(each & 0x80 for each in four):
        raise NoEssence("a tag in it is damaged")
    return four[0] << 21 | four[1] << 14 | four[2] << 7 | four[3]
