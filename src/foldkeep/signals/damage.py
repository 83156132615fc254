"""Looking for damage in a content: cut off, filled with zeros, or not decodable.

Files lose their end when a copy is broken off, and blocks of them become zeros when a drive, a rescue or a full disk
could not give them back. Decoders pass over much of that in silence, so zeros are looked for as such. Only the helper
process of `foldkeep.signals.media_worker` comes here.
"""

import os
import warnings
from collections.abc import Iterator
from typing import Any, BinaryIO, NamedTuple

from foldkeep.model.signatures import format_of
from foldkeep.storage.local.reading import FILE, open_path

from .extractors import MEDIA
from .media import damage_told, facts_in, is_read_here, missing_part, undecodable, words_of
from .tiff import end_of_data

_BLOCK = 4096  # what file systems and drives give and lose as one
_ZEROS = bytes(_BLOCK)
_CHUNK = 256 * _BLOCK
_NEAR = 8  # data that begins or ends with zeros of its own hides the edge of a lost block by a few bytes
# Compressed, so zeros are no data of theirs.
_DENSE = frozenset(("JPEG", "PNG", "GIF", "WebP", "HEIF", "MP3", "FLAC", "Ogg"))
_LAST_SECONDS, _LAST_SHARE = 0.5, 0.02
_LAST_SAMPLES = 0.05
_CHECKED = frozenset(("FLAC", "WAV"))  # each frame has a checksum, or the length is told by the sample
_HEAD_OF_MP3 = 256
_LARGEST_PAGE = 27 + 255 + 255 * 255  # RFC 3533, 6
_STATES_LENGTH = frozenset(("MP4", "Matroska", "AVI", "WAV", "FLAC"))  # their heads say how long they are


class _Run(NamedTuple):
    """A stretch of whole blocks of zeros: where it begins and ends."""

    start: int
    end: int


def damage_in(path: bytes, kind: str) -> str:
    """Return what is wrong with the content of a file, in words; empty if nothing was found.

    Raises
    ------
    OSError
        If the system does not let it be read, which may be otherwise another time.
    """
    with open(open_path(path, FILE), "rb") as file:
        size = os.fstat(file.fileno()).st_size
        head = file.read(16)
        runs = list(_runs_of_zeros(file, size))
        if size and runs and runs[0] == (0, size):
            return "it holds nothing but zeros"
        form = format_of(head)
        end = end_of_data(file, size) if form == "TIFF" else None
        if end == 0:
            return "it has no picture, or lost its directory"
        if end is not None and end > size:
            return f"it is cut off: its data ends at byte {end:,}, and {size:,} are there"
        if form in _DENSE and (found := _lost_blocks(file, runs, form, size)):
            return found
    if kind not in MEDIA:
        return ""
    facts = facts_in(path, kind)
    if form == "TIFF" and facts.format is None:
        return ""  # whole, in a variant that is not read here
    if facts.problem or not is_read_here(path):
        return damage_told(path, facts)
    return (missing_part(path) or "") if kind == "photo" else _undecodable(path, form)


def _runs_of_zeros(file: BinaryIO, size: int) -> Iterator[_Run]:
    """Yield the stretches of whole blocks that are zeros; what is left at the end counts as a block."""
    start = None
    for at in range(0, size, _CHUNK):
        file.seek(at)
        chunk = file.read(_CHUNK)
        for block in range(0, len(chunk), _BLOCK):
            # startswith compares without copying and ends at the first other byte.
            is_zero = chunk.startswith(_ZEROS[: len(chunk) - block], block)
            if is_zero and start is None:
                start = at + block
            elif not is_zero and start is not None:
                yield _Run(start, at + block)
                start = None
    if start is not None:
        yield _Run(start, size)


def _lost_blocks(file: BinaryIO, runs: list[_Run], form: str, size: int) -> str:
    """Return what blocks of zeros say of compressed data; empty if they may be its own.

    A lost block begins and ends where blocks do. Zeros that a format has itself (room for words, the flat sky of a
    picture) begin and end anywhere.
    """
    first = _first_data(file, form)
    lost = [run for run in runs if run.start >= first and _has_edges(file, run, size)]
    if not lost:
        return ""
    total = sum(end - start for start, end in lost)
    if lost[-1].end == size and _ended_before(file, lost[-1].start, form):
        total -= lost[-1].end - lost[-1].start
        lost.pop()
    if not lost:
        return ""
    where = "its end is" if lost[-1].end == size and len(lost) == 1 else "parts of it are"
    return f"{where} zeros: {total:,} of {size:,} bytes"


def _has_edges(file: BinaryIO, run: _Run, size: int) -> bool:
    file.seek(max(0, run.start - _NEAR))
    before = file.read(min(_NEAR, run.start))
    file.seek(run.end)
    after = file.read(_NEAR)
    return any(before) and (run.end == size or any(after))


def _ended_before(file: BinaryIO, at: int, form: str) -> bool:
    """Tell whether a format had come to its end before a stretch of zeros; cameras fill their last block so."""
    endings = {"JPEG": b"\xff\xd9", "PNG": b"IEND\xaeB`\x82", "GIF": b"\x3b"}
    if form not in endings:
        return False
    file.seek(max(0, at - 64))
    return file.read(min(64, at)).rstrip(b"\0").endswith(endings[form])


def _first_data(file: BinaryIO, form: str) -> int:
    """Return where compressed data begins, behind heads in which room may be left: of tags, makers' notes, padding."""
    file.seek(0)
    head = file.read(10)
    if form == "MP3" and head.startswith(b"ID3") and len(head) == 10:
        return 10 + (head[6] << 21 | head[7] << 14 | head[8] << 7 | head[9])  # ID3v2.4, 3.1: four times seven bits
    if form == "FLAC":
        return _behind_flac_blocks(file)
    if form == "HEIF":
        return _inside_media_box(file)
    return _behind_jpeg_segments(file) if form == "JPEG" else 0


def _inside_media_box(file: BinaryIO) -> int:
    """Return where the box of media begins, behind those of tables, in which room may be left (ISO/IEC 14496-12)."""
    at = 0
    while True:
        file.seek(at)
        head = file.read(8)
        length = int.from_bytes(head[:4], "big")
        if len(head) < 8 or head[4:] == b"mdat" or length < 8:
            return at
        at += length


def _behind_flac_blocks(file: BinaryIO) -> int:
    """Return where frames begin (RFC 9639, 8.1): the highest bit of the last block's head is set."""
    at = 4
    while True:
        file.seek(at)
        head = file.read(4)
        if len(head) < 4:
            return at
        at += 4 + int.from_bytes(head[1:], "big")
        if head[0] & 0x80:
            return at


def _behind_jpeg_segments(file: BinaryIO) -> int:
    """Return where the first scan begins (ITU-T T.81, B.1.1.4)."""
    at = 2
    while True:
        file.seek(at)
        head = file.read(4)
        if len(head) < 4 or head[0] != 0xFF or head[1] == 0xDA:
            return at
        at += 2 + int.from_bytes(head[2:], "big")


def _undecodable(path: bytes, form: str | None) -> str:
    """Return what is wrong with a film or sound: its sound is decoded whole, and the frames that need no others."""
    import av

    try:
        with open(open_path(path, FILE), "rb") as file, warnings.catch_warnings():
            warnings.simplefilter("ignore")
            if found := _too_short(file, form):
                return found
            file.seek(0)
            with av.open(file, "r", metadata_errors="replace") as clip:
                return _broken_stream(clip, form)
    except Exception as error:  # PyAV raises whatever a broken file leads it to
        return undecodable(error)


def _too_short(file: BinaryIO, form: str | None) -> str:
    """Return whether a sound has fewer bytes than it says; empty if it has them, or says nothing."""
    size = os.fstat(file.fileno()).st_size
    file.seek(0)
    head = file.read(8)
    first, stated = 0, 0
    if head.startswith(b"FORM"):  # AIFF 1.3
        stated = 8 + int.from_bytes(head[4:], "big")
    elif form == "MP3":
        first = _first_data(file, "MP3")
        stated = _stated_by_mp3(file, first)
    elif form == "Ogg":
        stated = _stated_by_ogg(file, size)
    there = size - first
    return f"it is cut off: it says that it has {stated:,} bytes, and {there:,} are there" if there < stated else ""


def _stated_by_mp3(file: BinaryIO, first: int) -> int:
    """Return how many bytes an MP3 has by the head that most encoders write into its first frame; 0 without one."""
    file.seek(first)
    head = file.read(_HEAD_OF_MP3)
    at = max(head.find(b"Xing"), head.find(b"Info"))
    flags = int.from_bytes(head[at + 4 : at + 8], "big")
    if at < 0 or flags & 0b10 == 0:
        return 0
    behind = at + 8 + (4 if flags & 1 else 0)
    return int.from_bytes(head[behind : behind + 4], "big")


def _stated_by_ogg(file: BinaryIO, size: int) -> int:
    """Return where the last page of an Ogg stream ends by its own table of segments (RFC 3533, 6)."""
    start = max(0, size - _LARGEST_PAGE)
    file.seek(start)
    end = file.read()
    at = end.rfind(b"OggS")
    if at < 0 or len(end) < at + 27:
        return 0
    table = end[at + 27 : at + 27 + end[at + 26]]
    return start + at + 27 + end[at + 26] + sum(table)


def _broken_stream(clip: Any, form: str | None) -> str:
    streams = [*clip.streams.video[:1], *clip.streams.audio[:1]]
    for stream in streams:
        stream.thread_type = "AUTO"
        if stream.type == "video":
            stream.codec_context.skip_frame = "NONKEY"
        if form in _CHECKED:
            stream.codec_context.options = {"err_detect": "crccheck+explode"}
    reached = 0.0
    for packet in clip.demux(streams):
        if packet.is_corrupt:
            return f"it is cut off or damaged{_at(packet)}"
        if packet.pts is not None and packet.time_base:
            reached = max(reached, float((packet.pts + (packet.duration or 0)) * packet.time_base))
        try:
            if any(frame.is_corrupt for frame in packet.decode()):
                return f"it is damaged{_at(packet)}"
        except Exception as error:  # as above
            undecodable(error)  # what the system says is no fault of the stream
            return f"it cannot be decoded{_at(packet)}: {words_of(error)}"
    length = clip.duration / 1_000_000 if clip.duration else 0.0
    start = (clip.start_time or 0) / 1_000_000
    least = length - (_LAST_SAMPLES if form in _CHECKED else max(_LAST_SECONDS, length * _LAST_SHARE))
    if form in _STATES_LENGTH and reached - start < least:
        return f"it is cut off: it says that it plays {length:.1f} s, and {max(0.0, reached - start):.1f} s are there"
    return ""


def _at(packet: Any) -> str:
    return "" if packet.pts is None else f" at {float(packet.pts * packet.time_base):.1f} s"
