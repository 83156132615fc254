"""The essence of files of boxes (ISO/IEC 14496-12, QuickTime): films and sounds, and pictures (ISO/IEC 23008-12)."""

import struct
from collections.abc import Iterator
from typing import Any, NamedTuple

from blake3 import blake3

from .coverage import MOST_UNKNOWN
from .parts import NoEssence, Parts, Source, Stretch, Told

_FILLERS = (b"free", b"skip", b"wide")
_WORDS = (b"udta", b"meta")
_XMP_BOX = bytes.fromhex("be7acfcb97a942e89c71999491e3afac")
_MOST_BOX = 256 * 1024 * 1024
_WHOLE_IN = {
    b"moov": (b"iods", b"clip", b"ctab"),
    b"trak": (b"edts", b"tref", b"tapt", b"load", b"clip", b"matt", b"imap"),
    b"mdia": (b"elng",),
    b"minf": (b"vmhd", b"smhd", b"hmhd", b"nmhd", b"sthd", b"gmhd"),
    b"stbl": (
        b"stsd", b"stts", b"ctts", b"stss", b"stps", b"stsc", b"stsz", b"stz2", b"sgpd", b"sbgp", b"sdtp", b"cslg",
        b"subs", b"padb", b"stdp",
    ),
}  # boxes that belong to the essence as they are, by what they lie in  # fmt: skip


class _Box(NamedTuple):
    name: bytes
    start: int
    end: int


def _boxes(source: Source, start: int, end: int) -> Iterator[_Box]:
    """Yield the boxes of a stretch with where their contents lie; raise NoEssence if they do not fill it."""
    while start < end:
        if end - start < 8:
            # QuickTime ends a list of boxes by four zero bytes.
            if end - start == 4 and source.read(start, 4) == bytes(4):
                return
            raise NoEssence("it is damaged")
        size, name = struct.unpack(">I4s", source.read(start, 8))
        head = 8
        if size == 1:
            head = 16
            (size,) = struct.unpack(">Q", source.read(start + 8, 8))
        elif size == 0 and end == source.size:
            size = end - start
        if size < head or start + size > end:
            raise NoEssence("it is damaged")
        yield _Box(name, start + head, start + size)
        start += size


def _content(source: Source, box: _Box) -> bytes:
    if box.end - box.start > _MOST_BOX:
        raise NoEssence("it has a table that is too large")
    return source.read(box.start, box.end - box.start)


def _full(source: Source, box: _Box) -> tuple[int, bytes]:
    """Return the version of a box that has one, and what it holds behind that and its flags."""
    content = _content(source, box)
    if len(content) < 4:
        raise NoEssence("it is damaged")
    return content[0], content[4:]


def movie_parts(source: Source) -> Parts:
    """Yield the parts of the essence of an MP4 or QuickTime file: its tracks, and the samples in the order they lie in.

    What lies in fragments or in other files, or is encrypted, has none.
    """
    media: list[_Box] = []
    movie: _Box | None = None
    for box in _boxes(source, 0, source.size):
        if box.name == b"moov" and movie is None:
            movie = box
        elif box.name == b"mdat":
            media.append(box)
        elif box.name == b"uuid":
            _check_xmp(source, box)
        elif box.name not in (*_FILLERS, b"ftyp", b"udta"):
            raise NoEssence("it has a box that is not known")
    if movie is None:
        raise NoEssence("there are no tracks in it")
    chunks: list[tuple[Any, Any]] = []
    for box in _boxes(source, movie.start, movie.end):
        if box.name == b"mvhd":
            yield Told(b"mvhd" + _without_times(source, box)[:-4])  # but for the number that the next track would get
        elif box.name == b"trak":
            yield from _track(source, box, chunks)
        else:
            yield from _whole(source, box, b"moov")
    yield from _samples(chunks, media)


def _whole(source: Source, box: _Box, within: bytes) -> Parts:
    """Yield a box that belongs to the essence as it is; nothing of words and fillers."""
    if box.name == b"uuid":
        _check_xmp(source, box)
    elif box.name in _WHOLE_IN[within]:
        yield Told(box.name + _content(source, box))
    elif box.name not in (*_FILLERS, *_WORDS):
        raise NoEssence("it has a box that is not known")


def _check_xmp(source: Source, box: _Box) -> None:
    if box.end - box.start < 16 or source.read(box.start, 16) != _XMP_BOX:
        raise NoEssence("it has a box that is not known")


def _without_times(source: Source, box: _Box) -> bytes:
    """Return a header of a film, track or medium without the times when it was made and changed."""
    content = _content(source, box)
    if len(content) < 24 or content[0] > 1:
        raise NoEssence("it is damaged")
    return content[:4] + content[20 if content[0] else 12 :]


def _track(source: Source, track: _Box, chunks: list[tuple[Any, Any]]) -> Parts:
    for box in _boxes(source, track.start, track.end):
        if box.name == b"tkhd":
            yield Told(b"tkhd" + _without_times(source, box))
        elif box.name == b"mdia":
            for inner in _boxes(source, box.start, box.end):
                if inner.name == b"mdhd":
                    yield Told(b"mdhd" + _without_times(source, inner))
                elif inner.name == b"hdlr":
                    yield Told(b"hdlr" + _content(source, inner)[8:12])  # not what it is called
                elif inner.name == b"minf":
                    yield from _medium(source, inner, chunks)
                else:
                    yield from _whole(source, inner, b"mdia")
        else:
            yield from _whole(source, box, b"trak")


def _medium(source: Source, medium: _Box, chunks: list[tuple[Any, Any]]) -> Parts:
    for box in _boxes(source, medium.start, medium.end):
        if box.name == b"dinf":
            _check_is_here(source, box)
            yield Told(b"dinf" + _content(source, box))
        elif box.name == b"stbl":
            tables: dict[bytes, _Box] = {}
            for inner in _boxes(source, box.start, box.end):
                if inner.name in tables and inner.name not in (b"sgpd", b"sbgp", b"subs"):
                    raise NoEssence("it is damaged")
                tables[inner.name] = inner
                if inner.name not in (b"stco", b"co64"):
                    yield from _whole(source, inner, b"stbl")
            chunks.append(_chunks(source, tables))
        elif box.name != b"hdlr":  # of the data, not of the medium
            yield from _whole(source, box, b"minf")


def _check_is_here(source: Source, box: _Box) -> None:
    """Raise NoEssence unless all data lie in this file."""
    for inner in _boxes(source, box.start, box.end):
        if inner.name == b"dref":
            for entry in _boxes(source, inner.start + 8, inner.end):
                if not _content(source, entry)[3:4] == b"\1":
                    raise NoEssence("some of it lies in another file")


def _chunks(source: Source, tables: dict[bytes, _Box]) -> tuple[Any, Any]:
    """Return where the chunks of a track lie, and how long they are: two arrays."""
    import numpy as np

    if b"stsz" not in tables or b"stsc" not in tables or (b"stco" in tables) == (b"co64" in tables):
        raise NoEssence("its samples are told of in a way that is not known")
    _, sizes_box = _full(source, tables[b"stsz"])
    _, runs_box = _full(source, tables[b"stsc"])
    is_short = b"stco" in tables
    _, offsets_box = _full(source, tables[b"stco" if is_short else b"co64"])
    try:
        one_size, samples = struct.unpack_from(">II", sizes_box)
        offsets = np.frombuffer(offsets_box[4:], ">u4" if is_short else ">u8").astype(np.int64)
        runs = np.frombuffer(runs_box[4:], ">u4").astype(np.int64).reshape(-1, 3)
        counts = (struct.unpack_from(">I", offsets_box)[0], struct.unpack_from(">I", runs_box)[0])
        sizes = None if one_size else np.frombuffer(sizes_box[8:], ">u4").astype(np.int64)
    except (struct.error, ValueError) as error:
        raise NoEssence("it is damaged") from error
    if counts != (len(offsets), len(runs)) or (sizes is not None and len(sizes) != samples):
        raise NoEssence("it is damaged")
    if not samples:
        return offsets[:0], offsets[:0]
    firsts = runs[:, 0]
    if not len(runs) or firsts[0] != 1 or (np.diff(firsts) <= 0).any() or firsts[-1] > len(offsets):
        raise NoEssence("it is damaged")
    per_chunk = np.repeat(runs[:, 1], np.diff(np.append(firsts, len(offsets) + 1)))
    ends = per_chunk.cumsum()
    if not len(ends) or ends[-1] != samples:
        raise NoEssence("it is damaged")
    if sizes is None:
        return offsets, per_chunk * one_size
    sums = np.concatenate([[0], sizes.cumsum()])
    return offsets, np.diff(np.concatenate([[0], sums[ends]]))


def _samples(chunks: list[tuple[Any, Any]], media: list[_Box]) -> Parts:
    """Yield the samples of all tracks in the order they lie in, and which chunk of which track is where."""
    import numpy as np

    if not chunks:
        raise NoEssence("there are no tracks in it")
    offsets = np.concatenate([each[0] for each in chunks])
    lengths = np.concatenate([each[1] for each in chunks])
    track = np.repeat(np.arange(len(chunks)), [len(each[0]) for each in chunks])
    number = np.concatenate([np.arange(len(each[0])) for each in chunks])
    order = np.lexsort((number, track, offsets))
    offsets, lengths = offsets[order], lengths[order]
    ends = offsets + lengths
    if not len(offsets) or (lengths < 0).any() or (offsets[1:] < ends[:-1]).any():
        raise NoEssence("its samples lie over one another")
    _check_within(offsets, ends, media)
    places = np.stack([track[order], number[order], lengths]).astype(">i8")
    yield Told(blake3(places.tobytes()).digest())
    breaks = np.flatnonzero(offsets[1:] != ends[:-1]) + 1
    for first, last in zip(np.append(0, breaks).tolist(), np.append(breaks, len(offsets)).tolist(), strict=True):
        yield Stretch(int(offsets[first]), int(ends[last - 1] - offsets[first]))


def _check_within(offsets: Any, ends: Any, media: list[_Box]) -> None:
    """Raise NoEssence if samples lie outside of the boxes for media, or much in those is no sample."""
    import numpy as np

    inside = np.zeros(len(offsets), bool)
    for box in media:
        inside |= (offsets >= box.start) & (ends <= box.end)
    unknown = sum(box.end - box.start for box in media) - int((ends - offsets).sum())
    if not inside.all():
        raise NoEssence("it ends too early")
    if unknown > MOST_UNKNOWN:
        raise NoEssence("it has something in it that nothing tells of")


def heif_parts(source: Source) -> Parts:
    """Yield the parts of the essence of a HEIF or AVIF picture: its items but for Exif data and XMP."""
    media, meta = 0, None
    for box in _boxes(source, 0, source.size):
        if box.name == b"meta" and meta is None:
            meta = box
        elif box.name == b"mdat":
            media += box.end - box.start
        elif box.name not in (*_FILLERS, b"ftyp"):
            raise NoEssence("it has a box that is not known")
    if meta is None:
        raise NoEssence("there is no picture in it")
    if source.read(meta.start, 4) != bytes(4):
        raise NoEssence("it is damaged")
    words: set[int] = set()
    references: list[tuple[int, bytes]] = []
    places: _Box | None = None
    for box in _boxes(source, meta.start + 4, meta.end):
        if box.name == b"iloc":
            places = box
        elif box.name == b"iinf":
            infos = list(_infos(source, box))
            words = {number for number, is_words, _ in infos if is_words}
            yield from (Told(b"infe" + content) for _, is_words, content in infos if not is_words)
        elif box.name == b"iref":
            references.extend(_references(source, box))
        elif box.name in (b"hdlr", b"pitm", b"iprp", b"idat", b"dinf", b"grpl"):
            yield Told(box.name + _content(source, box))
        elif box.name not in _FILLERS:
            raise NoEssence("it has a box that is not known")
    if places is None:
        raise NoEssence("there is no picture in it")
    yield from (Told(b"iref" + content) for number, content in references if number not in words)
    covered = list[tuple[int, int]]()
    for number, method, extents in _items(source, places):
        covered += extents if method == 0 else []
        if number in words:
            continue
        told = extents if method else [length for _, length in extents]
        yield Told(repr((number, method, told)).encode())
        yield from (Stretch(*each) for each in extents if method == 0)
    end = 0
    for start, length in sorted(covered):  # encoders let items of words share what they have in common
        media -= max(0, start + length - max(start, end))
        end = max(end, start + length)
    if media > MOST_UNKNOWN or media < 0:
        raise NoEssence("it has something in it that nothing tells of")


def _infos(source: Source, box: _Box) -> Iterator[tuple[int, bool, bytes]]:
    """Yield number, whether it is Exif data or XMP, and all that is said of it, of each item."""
    version, _ = _full(source, box)
    for entry in _boxes(source, box.start + (6 if version == 0 else 8), box.end):
        version, content = _full(source, entry)
        if entry.name != b"infe" or version not in (2, 3):
            raise NoEssence("it has an item that is not known")
        width = 2 if version == 2 else 4
        number, what = int.from_bytes(content[:width], "big"), content[width + 2 : width + 6]
        mime = content[width + 6 :].split(b"\0")[1:2]
        is_words = what == b"Exif" or (what == b"mime" and mime == [b"application/rdf+xml"])
        yield number, is_words, _content(source, entry)


def _references(source: Source, box: _Box) -> Iterator[tuple[int, bytes]]:
    """Yield the references of items to others: the number of the one that refers, and what is said of that."""
    version, _ = _full(source, box)
    width = 4 if version else 2
    for entry in _boxes(source, box.start + 4, box.end):
        content = _content(source, entry)
        yield int.from_bytes(content[:width], "big"), entry.name + content


def _items(source: Source, box: _Box) -> Iterator[tuple[int, int, list[tuple[int, int]]]]:
    """Yield number, construction method, and offset and length of each extent, of all items."""
    version, content = _full(source, box)
    if version > 2 or len(content) < 4:
        raise NoEssence("it is damaged")
    widths = [content[0] >> 4, content[0] & 15, content[1] >> 4, content[1] & 15 if version else 0]
    at = 2

    def taken(width: int) -> int:
        nonlocal at
        at += width
        if at > len(content):
            raise NoEssence("it is damaged")
        return int.from_bytes(content[at - width : at], "big")

    for _ in range(taken(4 if version == 2 else 2)):
        number = taken(4 if version == 2 else 2)
        method = taken(2) & 15 if version else 0
        elsewhere, base = taken(2), taken(widths[2])
        if method > 1 or elsewhere:
            raise NoEssence("some of it lies elsewhere")
        extents = []
        for _ in range(taken(2)):
            taken(widths[3])
            offset, length = base + taken(widths[0]), taken(widths[1])
            if not length:
                raise NoEssence("it does not tell how long its items are")
            extents.append((offset, length))
        yield number, method, extents
