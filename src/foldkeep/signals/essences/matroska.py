"""The essence of Matroska and WebM files (RFC 9559): tracks, and the blocks of their clusters."""

from collections.abc import Iterator
from typing import NamedTuple

from .parts import NoEssence, Parts, Source, Stretch, Told

_EBML, _SEGMENT = 0x1A45DFA3, 0x18538067
_INFO, _TRACKS, _CLUSTER = 0x1549A966, 0x1654AE6B, 0x1F43B675
_SEEK_HEAD, _CUES, _CHAPTERS, _TAGS, _ATTACHMENTS = 0x114D9B74, 0x1C53BB6B, 0x1043A770, 0x1254C367, 0x1941A469
_VOID, _CHECK_SUM = 0xEC, 0xBF
_SCALE, _DURATION = 0x2AD7B1, 0x4489
_TRACK, _NAME = 0xAE, 0x536E
_TIME, _SIMPLE_BLOCK, _BLOCK_GROUP, _POSITION, _PREVIOUS, _SILENT = 0xE7, 0xA3, 0xA0, 0xA7, 0xAB, 0x5854
_ATTACHED, _MIME = 0x61A7, 0x4660
_ORDERED = b"\x45\xdd\x81\x01"  # an edition whose chapters are played in their own order
_MOST_HEADER = 16 * 1024 * 1024


class _Element(NamedTuple):
    id: int
    at: int
    start: int
    end: int


def matroska_parts(source: Source) -> Parts:
    """Yield the parts of the essence of a Matroska or WebM file.

    Attachments other than pictures, such as fonts, and clusters that do not tell how long they are make it have none.
    """
    head, segment, *more = [each for each in _elements(source, 0, source.size) if each.id != _VOID]
    if head.id != _EBML or segment.id != _SEGMENT or more:
        raise NoEssence("it has an element that is not known")
    yield Told(_content(source, head))
    has_tracks = has_blocks = False
    for element in _elements(source, segment.start, segment.end):
        if element.id == _INFO:
            for each in _elements(source, element.start, element.end):
                if each.id in (_SCALE, _DURATION):
                    yield Told(source.read(each.at, each.end - each.at))
        elif element.id == _TRACKS:
            has_tracks = True
            yield from _tracks(source, element)
        elif element.id == _CLUSTER:
            has_blocks = True
            yield from _cluster(source, element)
        elif element.id == _ATTACHMENTS:
            _check_attachments(source, element)
        elif element.id == _CHAPTERS and _ORDERED in _content(source, element):
            raise NoEssence("its chapters tell in which order it is played")
        elif element.id not in (_SEEK_HEAD, _CUES, _CHAPTERS, _TAGS, _VOID, _CHECK_SUM):
            raise NoEssence("it has an element that is not known")
    if not has_tracks or not has_blocks:
        raise NoEssence("there is nothing in it")


def _tracks(source: Source, tracks: _Element) -> Parts:
    for track in _elements(source, tracks.start, tracks.end):
        if track.id == _TRACK:
            yield Told(b"track")
            for each in _elements(source, track.start, track.end):
                if each.id not in (_NAME, _VOID, _CHECK_SUM):
                    yield Told(_whole(source, each))
        elif track.id not in (_VOID, _CHECK_SUM):
            raise NoEssence("it has an element that is not known")


def _cluster(source: Source, cluster: _Element) -> Parts:
    for each in _elements(source, cluster.start, cluster.end):
        if each.id in (_TIME, _SIMPLE_BLOCK, _BLOCK_GROUP, _SILENT):
            yield Stretch(each.at, each.end - each.at)
        elif each.id not in (_POSITION, _PREVIOUS, _VOID, _CHECK_SUM):
            raise NoEssence("it has an element that is not known")


def _check_attachments(source: Source, attachments: _Element) -> None:
    for attached in _elements(source, attachments.start, attachments.end):
        if attached.id in (_VOID, _CHECK_SUM):
            continue
        mimes = [_content(source, each) for each in _elements(source, attached.start, attached.end) if each.id == _MIME]
        if attached.id != _ATTACHED or not all(mime.startswith(b"image/") for mime in mimes) or not mimes:
            raise NoEssence("other files are attached to it")


def _content(source: Source, element: _Element) -> bytes:
    if element.end - element.start > _MOST_HEADER:
        raise NoEssence("it has an element that is too large")
    return source.read(element.start, element.end - element.start)


def _whole(source: Source, element: _Element) -> bytes:
    return element.id.to_bytes(4, "big") + _content(source, element)


def _elements(source: Source, start: int, end: int) -> Iterator[_Element]:
    """Yield the elements of a stretch; raise NoEssence if they do not fill it, or do not tell how long they are."""
    while start < end:
        head = source.read(start, min(12, end - start))
        width = 9 - head[0].bit_length()
        if width > 4 or len(head) <= width:
            raise NoEssence("it is damaged")
        number = int.from_bytes(head[:width], "big")
        long = 9 - head[width].bit_length()
        if long > 8 or len(head) < width + long:
            raise NoEssence("it is damaged")
        size = int.from_bytes(head[width : width + long], "big") & ((1 << 7 * long) - 1)
        if size == (1 << 7 * long) - 1:
            raise NoEssence("an element of it does not tell how long it is")
        at, body = start, start + width + long
        start = body + size
        if start > end:
            raise NoEssence("it is damaged")
        yield _Element(number, at, body, start)
