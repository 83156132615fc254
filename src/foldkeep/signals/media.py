"""Reading what media files say about themselves.

Files may be broken, or made to do harm: the helper process of `media_worker` comes here, and for the date of a photo
alone `capture_moment`.
"""

import errno
import math
import os
import re
import warnings
from collections.abc import Callable, Iterable
from contextlib import suppress
from dataclasses import replace
from datetime import datetime
from typing import Any, BinaryIO

from foldkeep.formats.sidecars import Xmp, parse_xmp
from foldkeep.model import Facts
from foldkeep.model.kinds import suffix_of
from foldkeep.model.signatures import format_of, kind_told
from foldkeep.model.work import lacks_processes, reason_of
from foldkeep.storage.local.reading import FILE, open_path

from .heif import opens_heif

_EXIF_FOLDER = 0x8769  # Exif 2.32: where the Exif IFD lies
_MAKE, _MODEL, _ORIENTATION, _SOFTWARE = 0x010F, 0x0110, 0x0112, 0x0131
_DESCRIPTION, _RATING = 0x010E, 0x4746
_TAKEN, _OFFSET, _LENS_MAKE, _LENS = 0x9003, 0x9011, 0xA433, 0xA434
MOST_PIXELS = 300_000_000
"""No larger picture is decoded: it would take all the memory that one file is given."""

_READ_HERE = frozenset(
    "jpg jpeg jpe jfif png gif webp bmp tif tiff avif mp4 m4v m4a m4b mov qt 3gp mkv webm mka avi wmv"
    " mpg mpeg mts m2ts wav wave bwf flac mp3 ogg oga opus ogv aif aiff".split()
)
_HEIF = ("heic", "heif")
_SMALL = 16
_FOREIGN, _NO_PICTURE = "it is no picture that can be read here", "it cannot be opened as a picture"
_LACKS = frozenset({errno.EAGAIN, errno.EMFILE, errno.ENFILE})  # of threads, of open files
_FAULT_OF_HEIF = "unexpected C++ exception"  # what libheif says of errors that are none of the content
_LONGEST_TEXT = 1000
_MOST_KEYWORDS = 200
_OFFSET_FORM = re.compile(r"[+-]\d\d:\d\d|Z")

_Read = Callable[[BinaryIO], Facts]


def kind_in(path: bytes, kind: str) -> str:
    """Return the kind of what a file holds: what is found belongs to the content, whatever its names say.

    Raises
    ------
    OSError
        If the system does not let it be read, which may be otherwise another time.
    """
    with open(open_path(path, FILE), "rb") as file:
        return kind_told(path, file.read(16), kind)


def read_facts(path: bytes, kind: str) -> Facts:
    """Return what a file of this kind says about itself; what cannot be read is said as its `problem`."""
    try:
        return facts_in(path, kind)
    except OSError as error:
        return Facts(problem=None if error.errno == errno.EREMOTE else words_of(error).lower())


def facts_in(path: bytes, kind: str) -> Facts:
    """Return what the content of a file says about itself; what is wrong with it is said as its `problem`.

    Raises
    ------
    OSError
        If the system does not let it be read, which may be otherwise another time.
    """
    readers: dict[str, _Read] = {"photo": photo_facts, "video": clip_facts, "audio": sound_facts}
    if kind not in readers:
        return Facts()
    try:
        with open(open_path(path, FILE), "rb") as file, warnings.catch_warnings():
            warnings.simplefilter("ignore")
            facts = _bounded(readers[kind](file))
            return replace(facts, problem=_NO_PICTURE) if facts.problem == _FOREIGN and is_read_here(path) else facts
    except ModuleNotFoundError:
        raise
    except MemoryError:
        return Facts(problem="it asks for more memory than one file is given")
    except OSError as error:
        if error.errno is not None:
            raise
        return Facts(problem=f"it cannot be opened: {words_of(error).lower()}")  # libraries raise it of contents too
    except Exception as error:  # these libraries raise whatever a broken file leads them to
        return Facts(problem=f"it cannot be opened: {words_of(error)}")


def damage_told(path: bytes, facts: Facts) -> str:
    """Return what reading a file found wrong with it; empty if its format is just not one that is read here."""
    return (facts.problem or "") if is_read_here(path) else ""


def is_read_here(path: bytes) -> bool:
    """Tell whether the suffix of a file promises a format that the libraries here can decode."""
    suffix = suffix_of(os.path.basename(path))
    return suffix in _READ_HERE or (suffix in _HEIF and opens_heif())


def photo_facts(file: BinaryIO) -> Facts:
    """Return what a picture says; raises what Pillow does if it is none."""
    from PIL import Image, UnidentifiedImageError

    opens_heif()
    Image.MAX_IMAGE_PIXELS = None  # nothing is decoded here, and the size of a huge one is a fact as well
    try:
        image = Image.open(file)
    except UnidentifiedImageError:
        return Facts(problem=_FOREIGN)
    facts = Facts(image.format, *image.size)
    exif: Any = {}
    camera: Any = {}
    try:
        exif = image.getexif()
        camera = exif.get_ifd(_EXIF_FOLDER)
    except Exception as error:  # the picture may be whole where its Exif is not
        facts = replace(facts, problem=f"not all of it can be read: {words_of(error)}")
    orientation, rating = exif.get(_ORIENTATION), exif.get(_RATING)
    facts = replace(
        facts,
        orientation=orientation if orientation in range(1, 9) else None,
        captured=_moment(camera.get(_TAKEN), camera.get(_OFFSET)),
        camera=_with_maker(exif.get(_MAKE), exif.get(_MODEL)),
        lens=_with_maker(camera.get(_LENS_MAKE), camera.get(_LENS)),
        software=_text(exif.get(_SOFTWARE)),
        description=_text(exif.get(_DESCRIPTION)),
        rating=float(rating) if isinstance(rating, int) else None,
    )
    packet = image.info.get("xmp")
    if not packet:
        return facts
    try:
        return _with_xmp(facts, parse_xmp(packet.encode() if isinstance(packet, str) else packet.strip(b"\0")))
    except ValueError as error:
        return replace(facts, problem=facts.problem or f"its embedded XMP cannot be read: {error}")


def clip_facts(file: BinaryIO) -> Facts:
    """Return what a film, or a sound in a container, says; raises what PyAV does if it is none."""
    import av

    name = format_of(file.read(16))
    file.seek(0)
    with av.open(file, "r", metadata_errors="replace") as clip:
        pictures = next(iter(clip.streams.video), None)
        sound = next(iter(clip.streams.audio), None)
        tags = {name.lower(): value for name, value in clip.metadata.items()}
        moment = next((tags[name] for name in tags if name.endswith("creationdate")), tags.get("creation_time"))
        rate = pictures.average_rate if pictures else None
        return Facts(
            name or clip.format.name.partition(",")[0].upper(),
            pictures.codec_context.width if pictures else None,
            pictures.codec_context.height if pictures else None,
            captured=_iso(moment),
            title=_text(tags.get("title")),
            description=_text(tags.get("comment") or tags.get("description")),
            seconds=clip.duration / 1_000_000 if clip.duration and clip.duration > 0 else None,
            frame_rate=round(float(rate), 3) if rate else None,
            video_codec=pictures.codec_context.name if pictures else None,
            audio_codec=sound.codec_context.name if sound else None,
            bit_rate=clip.bit_rate or None,
            sample_rate=sound.codec_context.sample_rate if sound else None,
            channels=sound.codec_context.channels if sound else None,
            artist=_text(tags.get("artist")),
            album=_text(tags.get("album")),
            track=_text(tags.get("track")),
            problem=None if pictures or sound else "it has no pictures and no sound",
        )


def sound_facts(file: BinaryIO) -> Facts:
    """Return what a sound file says; raises what mutagen or PyAV do if it is none."""
    import mutagen

    try:
        found = mutagen.File(file, easy=True)
    except mutagen.MutagenError:
        found = None
    if found is None or found.info is None:
        file.seek(0)
        return clip_facts(file)
    info, tags = found.info, found.tags or {}

    def tag(name: str) -> str | None:
        with suppress(Exception):  # each format has its own ways to fail
            return _text(next(iter(tags.get(name) or ()), None))
        return None

    name = type(found).__name__.removeprefix("Easy")
    return Facts(
        name.upper() if len(name) <= 5 else name,
        captured=_iso(tag("date")),
        title=tag("title"),
        artist=tag("artist"),
        album=tag("album"),
        track=tag("tracknumber"),
        seconds=_positive(getattr(info, "length", None)),
        audio_codec=_text(getattr(info, "codec", None)),
        bit_rate=_whole(getattr(info, "bitrate", None)),
        sample_rate=_whole(getattr(info, "sample_rate", None)),
        channels=_whole(getattr(info, "channels", None)),
    )


def undecodable(error: Exception) -> str:
    """Return what an error of a decoder says of a content; raise an error of the system, or of an import, again."""
    import av

    number = getattr(error, "errno", None)
    of_system = isinstance(error, OSError) and number is not None and not isinstance(error, av.FFmpegError)
    if of_system or isinstance(error, ModuleNotFoundError):
        raise error
    # Decoders ask for threads, and say of the content that they got none.
    if number in _LACKS or lacks_processes(error) or _FAULT_OF_HEIF in str(error):
        raise OSError(number or errno.EAGAIN, reason_of(error)) from error
    return f"it cannot be decoded: {words_of(error)}"


def missing_part(path: bytes) -> str | None:
    """Return what is wrong with a picture that begins well, or None: its pixels are decoded to find out.

    Raises OSError if the system does not let it be read.
    """
    from PIL import Image

    try:
        with open(open_path(path, FILE), "rb") as file, warnings.catch_warnings():
            warnings.simplefilter("ignore")
            image = Image.open(file)
            image.draft("RGB", (_SMALL, _SMALL))
            if image.width * image.height <= MOST_PIXELS:
                image.load()
    except Exception as error:  # as above
        return picture_damage(error)
    return None


def picture_damage(error: Exception) -> str:
    """Return what an error of a decoder says of a picture; raise an error of the system, or of an import, again."""
    undecodable(error)  # what the system says is no fault of the picture
    return f"the picture is damaged: {words_of(error)}"


def _with_xmp(facts: Facts, xmp: Xmp) -> Facts:
    return replace(
        facts,
        keywords=xmp.keywords,
        rating=facts.rating if xmp.rating is None else xmp.rating,
        title=xmp.title,
        description=xmp.description or facts.description,
        captured=facts.captured or _iso(xmp.captured),
    )


def _moment(taken: object, offset: object) -> str | None:
    try:
        moment = datetime.strptime(str(taken).strip("\0 "), "%Y:%m:%d %H:%M:%S").isoformat()
    except ValueError:
        return None
    known = str(offset).strip("\0 ")
    return moment + known if _OFFSET_FORM.fullmatch(known) else moment


def _iso(text: str | None) -> str | None:
    """Return a moment or a date that somebody wrote after ISO 8601, in one form; None if it is neither."""
    if not text:
        return None
    try:
        moment = datetime.fromisoformat(text.strip())
    except ValueError:
        return text.strip() if re.fullmatch(r"\d{4}(-\d\d)?", text.strip()) else None
    return moment.isoformat(timespec="seconds").replace("+00:00", "Z")


def _with_maker(maker: object, model: object) -> str | None:
    """Return a model with its maker before it, where the model does not name it."""
    named, made = _text(model), _text(maker)
    if named and made and not named.lower().startswith(made.split()[0].lower()):
        return f"{made} {named}"
    return named or made


def _text(value: object) -> str | None:
    if isinstance(value, bytes):
        value = value.decode("utf-8", "replace")
    text = " ".join(str(value).replace("\0", " ").split()) if value is not None else ""
    return text[:_LONGEST_TEXT] or None


def _positive(value: object) -> float | None:
    return float(value) if isinstance(value, int | float) and math.isfinite(value) and value > 0 else None


def _whole(value: object) -> int | None:
    number = _positive(value)
    return round(number) if number else None


def words_of(error: BaseException) -> str:
    """Return what an error says, short and on one line, without what only programmers know."""
    text = " ".join(str(getattr(error, "strerror", None) or error).split())[:160]
    return re.sub(r"<_io\.[^>]*>|<[^>]*object at[^>]*>", "the file", text) or type(error).__name__


def _bounded(facts: Facts) -> Facts:
    """Return facts without numbers that no file has and without texts of any length."""
    numbers: dict[str, Any] = {
        name: None
        for name in ("seconds", "frame_rate", "rating")
        if (value := getattr(facts, name)) is not None and not math.isfinite(value)
    }
    return replace(facts, **numbers, keywords=_short(facts.keywords), title=_text(facts.title))


def _short(texts: Iterable[str]) -> tuple[str, ...]:
    return tuple(text for each in list(texts)[:_MOST_KEYWORDS] if (text := _text(each)))
