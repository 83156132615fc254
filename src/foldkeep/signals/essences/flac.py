"""The essence of FLAC files (RFC 9639): the frames, and what tells how they are to be decoded."""

from .audio_tags import end_of_sound, start_of_sound
from .parts import NoEssence, Parts, Source, Stretch, Told

STREAM_INFO, _PADDING, _SEEK_TABLE, _COMMENT, _CUE_SHEET, _PICTURE = 0, 1, 3, 4, 5, 6
_WORDS = (_PADDING, _SEEK_TABLE, _COMMENT, _CUE_SHEET, _PICTURE)
_CHANNELS = b"WAVEFORMATEXTENSIBLE_CHANNEL_MASK="


def flac_parts(source: Source) -> Parts:
    """Yield the parts of a FLAC file's essence; blocks of other applications make it have none."""
    at = start_of_sound(source)
    if source.read(at, 4) != b"fLaC":
        raise NoEssence("its format is not known")
    at += 4
    is_last, is_first, channels = False, True, b""
    while not is_last:
        head = source.read(at, 4)
        is_last, what, length = bool(head[0] & 0x80), head[0] & 0x7F, int.from_bytes(head[1:], "big")
        if is_first != (what == STREAM_INFO) or (what not in _WORDS and what != STREAM_INFO):
            raise NoEssence("it has a block that is not known")
        is_first = False
        if what == STREAM_INFO:
            yield Told(source.read(at + 4, length))
        elif what == _COMMENT:
            channels = channels or channels_in(source.read(at + 4, length))
        at += 4 + length
    yield Told(channels)
    end = end_of_sound(source, at)
    if end - at < 2 or source.read(at, 2)[:1] != b"\xff":
        raise NoEssence("there is no sound in it")
    yield Stretch(at, end - at)


def channels_in(comment: bytes) -> bytes:
    """Return what a comment says of where channels are heard; empty if it says nothing."""
    at = comment.upper().find(_CHANNELS)
    return comment[at : at + len(_CHANNELS) + 10].upper().split(b"\0")[0] if at >= 0 else b""
