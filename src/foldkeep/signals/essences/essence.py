"""The essence of a file: the picture or sound itself, without what is written about it; and what is left, its rest.

Two files with one essence show or sound the same but for what is written about them, and either can be rebuilt, bit
for bit, from the essence of the other and its own rest. A false match would be a lost edit, a missed one is a missed
megabyte: a parser that meets anything that it does not know gives no essence.
"""

from collections.abc import Callable, Iterable, Iterator
from itertools import islice
from typing import NamedTuple

from blake3 import blake3

from foldkeep.formats.own import MOST_OF_REST

from .aiff import aiff_parts
from .boxes import heif_parts, movie_parts
from .caf import caf_parts
from .flac import flac_parts
from .jpeg import jpeg_parts
from .matroska import matroska_parts
from .mpeg_audio import mpeg_audio_parts
from .ogg import ogg_parts
from .parts import NoEssence, Parts, Shown, Source, Stretch, Told
from .png import png_parts
from .riff import wave_parts, webp_parts
from .tiff_parts import tiff_parts

_READ = 256 * 1024
_MOST_STRETCHES = 2_000_000
_MOST_TOLD = 256 * 1024 * 1024
_OUTLINE = 4096
_ORDER = b"foldkeep essence 1"

_Parser = Callable[[Source], Parts]


class Essence(NamedTuple):
    """The essence of a file.

    Attributes
    ----------
    kind
        Of essence; those of two kinds are never one.
    told
        What belongs to it beside the stretches: headers, without what is only about where things lie.
    stretches
        Offset and length of bytes of the file, in order.
    size
        Of the file, in bytes.
    shown
        Words outside the essence that change what is seen or heard, by name.
    """

    kind: str
    told: bytes
    stretches: tuple[Stretch, ...]
    size: int
    shown: tuple[Shown, ...] = ()

    @property
    def length(self) -> int:
        """How many bytes of the file are its essence."""
        return sum(length for _, length in self.stretches)

    @property
    def rest(self) -> int:
        """How many are not."""
        return self.size - self.length


def essence_of(source: Source) -> Essence:
    """Return the essence of a file. Raise NoEssence if it has none, with the reason."""
    return _read(source, None)


def essence_with_digest(source: Source) -> tuple[Essence, bytes]:
    """Return the essence of a file with its digest, told while it is read. Raise NoEssence if it has none."""
    hasher = blake3()
    essence = _read(source, hasher)
    return essence, _digest(essence, hasher.digest())


def _read(source: Source, hasher: blake3 | None) -> Essence:
    kind, parser = _parser_of(source)
    told, stretches, shown = list[bytes](), list[Stretch](), list[Shown]()
    most = _MOST_TOLD
    for part in parser(source):
        match part:
            case Told(content):
                told.append(len(content).to_bytes(8, "big") + content)
                most -= len(content)
            case Shown():
                shown.append(part)
            case Stretch(offset, length) if length:
                if offset + length > source.size:
                    raise NoEssence("it ends too early")
                if hasher is not None:  # what was just looked at is still at hand
                    _hash(hasher, [part], source)
                if stretches and sum(stretches[-1]) == offset:
                    stretches[-1] = Stretch(stretches[-1].offset, stretches[-1].length + length)
                else:
                    stretches.append(part)
        if len(stretches) > _MOST_STRETCHES or most < 0:
            raise NoEssence("it has too many parts")
    if not stretches:
        raise NoEssence("there is nothing in it")
    _check(stretches, source.size)
    found = Essence(kind, b"".join(told), tuple(stretches), source.size, tuple(shown))
    if found.rest > MOST_OF_REST:
        raise NoEssence("too much of it is no essence")
    return found


def _check(stretches: Iterable[Stretch], size: int) -> None:
    end = 0
    for offset, length in sorted(stretches):
        if offset < end or length < 0:
            raise NoEssence("its parts lie over one another")
        end = offset + length
    if end > size:
        raise NoEssence("it ends too early")


def outline_of(source: Source) -> bytes:
    """Return what two files with one essence agree in, told from their beginnings alone.

    Raises NoEssence if it has none; of one that has an outline, that may turn out later.
    """
    kind, parser = _parser_of(source)
    hasher = blake3(_ORDER + b" outline " + kind.encode())
    left, most = _OUTLINE, _MOST_TOLD
    for part in islice(parser(source), _MOST_STRETCHES):
        if isinstance(part, Told):
            most -= len(part.content)
            if most < 0:
                raise NoEssence("it has too many parts")
            hasher.update(blake3(part.content).digest())
        elif isinstance(part, Stretch):
            taken = min(left, part.length)
            hasher.update(source.read(part.offset, taken))
            left -= taken
        if not left:
            break
    return hasher.digest()


def digest_of_essence(essence: Essence, source: Source) -> bytes:
    """Return the essence digest: BLAKE3 over kind, length, and the digests of what is told and of the stretches."""
    hasher = blake3()
    _hash(hasher, essence.stretches, source)
    return _digest(essence, hasher.digest())


def _hash(hasher: blake3, stretches: Iterable[Stretch], source: Source) -> None:
    for offset, length in _pieces(stretches):
        hasher.update(source.view(offset, length))


def _digest(essence: Essence, of_stretches: bytes) -> bytes:
    hasher = blake3(_ORDER)
    hasher.update(len(essence.kind).to_bytes(8, "big") + essence.kind.encode() + essence.length.to_bytes(8, "big"))
    hasher.update(blake3(essence.told).digest() + of_stretches)
    return hasher.digest()


def contents(stretches: Iterable[Stretch], source: Source) -> Iterator[bytes]:
    """Yield the bytes of stretches of a file, piece by piece."""
    for offset, length in _pieces(stretches):
        yield source.read(offset, length)


def _pieces(stretches: Iterable[Stretch]) -> Iterator[tuple[int, int]]:
    for offset, length in stretches:
        for start in range(0, length, _READ):
            yield offset + start, min(_READ, length - start)


def gaps(essence: Essence) -> Iterator[Stretch]:
    """Yield the stretches of a file that are no essence, in order of offset."""
    end = 0
    for offset, length in sorted(essence.stretches):
        if offset > end:
            yield Stretch(end, offset - end)
        end = offset + length
    if essence.size > end:
        yield Stretch(end, essence.size - end)


def _parser_of(source: Source) -> tuple[str, _Parser]:
    head = source.read(0, min(16, source.size))
    if len(head) < 16:
        raise NoEssence("it is too short")
    for sign, kind, parser in _SIGNS:
        if head.startswith(sign):
            return kind, parser
    if head[:4] in (b"RIFF", b"RF64") and head[8:12] == b"WAVE":
        return "wave", wave_parts
    if head[:4] == b"RIFF" and head[8:12] == b"WEBP":
        return "webp", webp_parts
    if head[:4] == b"FORM" and head[8:12] in (b"AIFF", b"AIFC"):
        return "aiff", aiff_parts
    if head[4:8] == b"ftyp" and head[8:12] in _HEIF:
        return "heif", heif_parts
    if head[4:8] in (b"ftyp", b"moov", b"wide", b"mdat", b"free", b"skip"):
        return "movie", movie_parts
    return _sound_behind_tags(source, head)


def _sound_behind_tags(source: Source, head: bytes) -> tuple[str, _Parser]:
    if head[:3] == b"ID3" or head[:8] == b"APETAGEX" or (head[0] == 0xFF and head[1] & 0xE0 == 0xE0):
        from .audio_tags import start_of_sound

        start = start_of_sound(source)
        is_flac = source.size >= start + 4 and source.read(start, 4) == b"fLaC"
        return ("flac", flac_parts) if is_flac else ("mpeg audio", mpeg_audio_parts)
    raise NoEssence("its format is not known")


_SIGNS: tuple[tuple[bytes, str, _Parser], ...] = (
    (b"\xff\xd8\xff", "jpeg", jpeg_parts), (b"\x89PNG\r\n\x1a\n", "png", png_parts),
    (b"II*\0", "tiff", tiff_parts), (b"MM\0*", "tiff", tiff_parts), (b"fLaC", "flac", flac_parts),
    (b"OggS", "ogg", ogg_parts), (b"caff\0\1", "caf", caf_parts), (b"\x1aE\xdf\xa3", "matroska", matroska_parts),
)  # fmt: skip
_HEIF = (b"heic", b"heix", b"heim", b"heis", b"mif1", b"avif")
