"""The sample library: the media desk of the Windmere Kite Days, with the troubles that real libraries have."""

import json
import os
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from random import Random
from urllib.parse import quote

from blake3 import blake3

from . import pictures, sounds

_FIRST_DAY = datetime(2025, 6, 13, 8, 0, tzinfo=UTC)
_LOCAL = timedelta(hours=2)
_PHOTOS_A_DAY = 8
_CAMERAS = {"camera-a": ("Meadow 2", "WKD_"), "camera-b": ("Ridge 7", "KITE")}
_TUNES = {
    "March of the Box Kites": (0, 4, 7, 12, 7, 4, 0, 4, 7, 12, 7, 4, 5, 9, 12, 9, 7, 4, 2, 0) * 2,
    "Delta Wing Waltz": (0, 7, 7, 2, 9, 9, 4, 11, 11, 5, 9, 7, 4, 2, 0) * 3,
    "The Long Tail": (12, 11, 9, 7, 5, 4, 2, 0, 2, 4, 5, 7, 9, 11, 12, 12) * 2,
}
_XMP = """<?xpacket begin="" id="W5M0MpCehiHzreSzNTczkc9d"?>
<x:xmpmeta xmlns:x="adobe:ns:meta/">
 <rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">
  <rdf:Description rdf:about="" xmlns:xmp="http://ns.adobe.com/xap/1.0/"
    xmlns:dc="http://purl.org/dc/elements/1.1/" xmp:Rating="{rating}">
   <dc:subject><rdf:Bag><rdf:li>kites</rdf:li><rdf:li>{keyword}</rdf:li></rdf:Bag></dc:subject>
  </rdf:Description>
 </rdf:RDF>
</x:xmpmeta>
<?xpacket end="w"?>
"""

File = tuple[str, bytes, datetime]


def make_library(top: str, today: datetime | None = None) -> None:
    """Write the sample library below the folder `top`: about 40 MB, the same bytes and times every time.

    `top` gets two folders: ``library``, where the desk works, and ``shelf-drive``, a backup of the first day.

    Parameters
    ----------
    today
        The day from which the times of the one project are counted back that is always in work; this day if None.
    """
    today = (today or datetime.now(UTC)).replace(hour=9, minute=0, second=0, microsecond=0)
    library = os.path.join(top, "library")
    made: dict[str, bytes] = {}
    for path, content, moment in _everything(today):
        made[path] = content
        _write(os.path.join(library, path), content, moment)
    for path, content in made.items():
        if path.startswith("stills/camera-a/day-1/") and path.endswith(".jpg"):
            taken = _modified(os.path.join(library, path))
            _write(os.path.join(top, "shelf-drive", "2025", path), content, taken)
    best = os.path.join(library, "best-of")
    os.makedirs(best)
    for name in ("WKD_0003.jpg", "WKD_0007.jpg"):
        # The desk made links, not copies: they look like copies and cost nothing.
        os.link(os.path.join(library, "stills/camera-a/day-1", name), os.path.join(best, name))


def _everything(today: datetime) -> Iterator[File]:
    stills = list(_stills())
    yield from stills
    yield from _cards(stills)
    yield from _import_that_ran_twice(stills)
    yield from _sidecars(stills)
    yield from _previews(stills)
    yield from _desktop(stills)
    yield from _press(stills)
    yield from _rated(stills)
    yield from _music()
    yield from _films()
    yield from _catalogue(stills)
    yield from _edit()
    yield from _edit_of_last_year()
    yield from _edit_of_this_week(today)


def _stills() -> Iterator[File]:
    for camera, (model, prefix) in _CAMERAS.items():
        number = 0
        for day in range(3):
            for shot in range(_PHOTOS_A_DAY):
                number += 1
                taken = _FIRST_DAY + timedelta(days=day, minutes=41 * shot, seconds=7 * number)
                seed = number + (1000 if camera == "camera-b" else 0)
                exif = (taken + _LOCAL).strftime("%Y:%m:%d %H:%M:%S")
                yield (
                    f"stills/{camera}/day-{day + 1}/{prefix}{number:04}.jpg",
                    pictures.jpeg(seed, model, exif),
                    taken,
                )


def _previews(stills: list[File]) -> Iterator[File]:
    """What a picture program made of one day to draw it quickly."""
    for path, content, taken in stills:
        if "camera-b/day-3" in path:
            folder, name = os.path.split(path)
            yield f"{folder}/previews/{name}", pictures.reduced(content), taken + timedelta(days=1)


def _cards(stills: list[File]) -> Iterator[File]:
    """A card that was copied in twice, and one whose second copy stopped half-way."""
    for path, content, taken in stills:
        name = os.path.basename(path)
        if "camera-a/day-2" in path:
            yield f"card copies/camera A saturday/{name}", content, taken
    half = [file for file in stills if "camera-b/day-1" in file[0]][:5]
    for number, (path, content, taken) in enumerate(half):
        cut = content[: len(content) // 3] if number == len(half) - 1 else content
        yield f"card copies/camera B friday/{os.path.basename(path)}", cut, taken


def _import_that_ran_twice(stills: list[File]) -> Iterator[File]:
    """An import that named every picture after its date, and then did so again."""
    imported = _FIRST_DAY + timedelta(days=19)
    for run, folder in enumerate(("imported", "imported again")):
        for path, content, taken in stills:
            if "camera-b/day-3" in path:
                name = (taken + _LOCAL).strftime("%Y-%m-%d %H.%M.%S.jpg")
                yield f"{folder}/{name}", content, imported + timedelta(days=run)


def _sidecars(stills: list[File]) -> Iterator[File]:
    """Ratings beside some pictures, two whose pictures are gone, and two that differ."""
    rated = [path for path, _, _ in stills if "camera-a/day-3" in path][:4]
    gone = ["stills/camera-a/day-3/WKD_0098.jpg", "stills/camera-a/day-3/WKD_0099.jpg"]
    for number, path in enumerate(rated + gone):
        text = _XMP.format(rating=number % 5 + 1, keyword=("box kite", "delta", "stage")[number % 3])
        yield path.removesuffix(".jpg") + ".xmp", text.encode(), _FIRST_DAY + timedelta(days=4)
    # Somebody rated a picture, and somebody else the copy of it on the desktop.
    mine, other = "stills/camera-a/day-1/WKD_0005.xmp", "from the desktop/WKD_0005 (1).xmp"
    yield mine, _XMP.format(rating=3, keyword="box kite").encode(), _FIRST_DAY + timedelta(days=4)
    yield other, _XMP.format(rating=5, keyword="for the poster").encode(), _FIRST_DAY + timedelta(days=31)


def _catalogue(stills: list[File]) -> Iterator[File]:
    """What the desk's picture program knows: one picture that is gone, one twice, the last card not at all."""
    known = [path for path, _, _ in stills if "camera-b/day-3" not in path and "KITE0012" not in path]
    known += ["stills/camera-a/day-3/WKD_0098.jpg", "best-of/WKD_0003.jpg"]
    rows = [f"../{path},{number % 5 + 1},kites\r\n" for number, path in enumerate(known)]
    yield "lists/stills.csv", f"File,Rating,Keywords\r\n{''.join(rows)}".encode(), _FIRST_DAY + timedelta(days=5)


def _desktop(stills: list[File]) -> Iterator[File]:
    """What gathers on a desk: copies of copies."""
    later = _FIRST_DAY + timedelta(days=30)
    poster = pictures.poster()
    yield "print/poster.png", poster, _FIRST_DAY - timedelta(days=40)
    for number, name in enumerate(("Copy of poster.png", "poster (1).png", "poster copy 2.png")):
        yield f"from the desktop/{name}", poster, later + timedelta(hours=number)
    for path, content, _ in stills[2:5]:
        yield f"from the desktop/{os.path.basename(path).replace('.jpg', ' (1).jpg')}", content, later


def _press(stills: list[File]) -> Iterator[File]:
    """What went to the press: versions made for web pages, and a burst from the finish line."""
    chosen = [file for file in stills if "camera-b/day-2" in file[0]]
    later = _FIRST_DAY + timedelta(days=6)
    for (path, content, _), change in zip(chosen, ("smaller", "brighter", "cropped", "grey"), strict=False):
        stem = os.path.basename(path).removesuffix(".jpg")
        yield f"press/for the web/{stem} {change}.jpg", pictures.changed(content, change), later
    start = _FIRST_DAY + timedelta(days=1, hours=5)
    for shot in range(3):
        taken = start + timedelta(seconds=shot)
        exif = (taken + _LOCAL).strftime("%Y:%m:%d %H:%M:%S")
        content = pictures.jpeg(77, _CAMERAS["camera-a"][0], exif, shot)
        yield f"press/finish line/WKD_{201 + shot:04}.jpg", content, taken


def _rated(stills: list[File]) -> Iterator[File]:
    """Copies into which a program has written what somebody thinks of them."""
    later = _FIRST_DAY + timedelta(days=9)
    chosen = [file for file in stills if "camera-b/day-1" in file[0]][5:7]
    for (path, content, _), rating in zip(chosen, (5, 3), strict=True):
        words = _XMP.format(rating=rating, keyword="for the calendar").encode()
        yield f"print/calendar/{os.path.basename(path)}", pictures.with_words(content, words), later


def _music() -> Iterator[File]:
    recorded = _FIRST_DAY + timedelta(hours=10)
    for number, (title, steps) in enumerate(_TUNES.items(), start=1):
        samples = sounds.tune(steps)
        tags = {"title": title, "artist": "Windmere Brass", "album": "Kite Days 2025", "track": str(number)}
        yield f"music/recordings/take-{number}.wav", sounds.wav(samples), recorded
        yield f"music/album/{number:02} {title}.flac", sounds.encoded(samples, "flac", tags), recorded
        mp3 = sounds.encoded(samples, "mp3", tags)
        yield f"music/for the stage/{number:02} {title}.mp3", mp3, recorded
        if number == 1:
            yield "music/for the stage/07 Opening Music.mp3", mp3, recorded + timedelta(days=1)
        if number == 2:
            encore = sounds.encoded(samples, "mp3", tags | {"title": "Encore", "track": "8"})
            yield "music/for the stage/08 Encore.mp3", encore, recorded + timedelta(days=1)
    listed = "".join(f"../music/for the stage/{n:02} {title}.mp3\n" for n, title in enumerate(_TUNES, start=1))
    yield "lists/stage.m3u8", f"#EXTM3U\n{listed}".encode(), recorded


def _films() -> Iterator[File]:
    day = _FIRST_DAY + timedelta(hours=6)
    for number, (folder, name, seconds) in enumerate(
        [
            ("drone", "DRN_0001", 3.0),
            ("drone", "DRN_0002", 4.0),
            ("stage", "STG_0001", 5.0),
            ("stage", "STG_0002", 3.5),
        ]
    ):
        content = sounds.film(500 + number, seconds)
        filmed = day + timedelta(hours=number)
        yield f"video/{folder}/{name}.mp4", content, filmed
        if name == "STG_0001":
            yield "press/for the web/on the stage.mov", sounds.proxy(content), filmed + timedelta(days=5)
        if folder == "drone":
            yield f"edit/media/{name}.mp4", content, filmed + timedelta(days=12)
        if name == "DRN_0001":
            yield f"edit/proxies/{name}_proxy.mov", sounds.proxy(content), filmed + timedelta(days=13)


def _edit() -> Iterator[File]:
    """This year's edit: a pile of caches by version, a render that nobody uses, a proxy whose original is gone."""
    cut = _FIRST_DAY + timedelta(days=16)
    uses = ["media/DRN_0001.mp4", "../video/stage/STG_0001.mp4", "renders/titles v2.mp4"]
    times = [{"OTIO_SCHEMA": "RationalTime.1", "rate": 25.0, "value": value} for value in (0.0, 40.0)]
    part = {"OTIO_SCHEMA": "TimeRange.1", "start_time": times[0], "duration": times[1]}
    clips = [{"OTIO_SCHEMA": "Clip.2", "source_range": part, "media_references": {"DEFAULT_MEDIA": {
        "OTIO_SCHEMA": "ExternalReference.1", "target_url": quote(url)}}} for url in uses]  # fmt: skip
    track = {"OTIO_SCHEMA": "Track.1", "kind": "Video", "children": clips}
    stack = {"OTIO_SCHEMA": "Stack.1", "children": [track]}
    timeline = {"OTIO_SCHEMA": "Timeline.1", "name": "Kite Days 2025, highlights", "tracks": stack}
    yield "edit/highlights.otio", json.dumps(timeline, indent=1).encode(), cut
    for number, name in enumerate(("DRN_0002", "STG_0009"), start=1):
        yield f"edit/proxies/{name}_proxy.mp4", sounds.film(600 + number, 1.0), cut - timedelta(days=3)
    for number, name in enumerate(("titles v1", "titles v2")):
        yield f"edit/renders/{name}.mp4", sounds.film(620 + number, 1.5), cut - timedelta(hours=9 - number)
    for version, days, frames in (("4.1", 300, 9), ("4.2", 120, 7), ("5.0", 0, 5)):
        for frame in range(frames):
            # Not two of them alike in size and time, as with real ones.
            size = 90_000 + 31 * frame - days
            content = Random(f"{version} {frame}").randbytes(size)  # noqa: S311 - the same each time is the aim
            name = blake3(content).hexdigest(6)
            yield f"edit/cache/v{version}/{name}.bin", content, cut - timedelta(days=days, minutes=frame)
    tag = b"Signature: 8a477f597d28d172789f06886806bc55\n# Waveforms of the editing program, which it makes again.\n"
    yield "edit/waveforms of media/CACHEDIR.TAG", tag, cut
    for number, name in enumerate(("DRN_0001", "DRN_0002")):
        content = Random(f"wave {name}").randbytes(120_000 + 31 * number)  # noqa: S311 - as above
        yield f"edit/waveforms of media/{name}.waveform", content, cut


def _edit_of_last_year() -> Iterator[File]:
    """A finished project that nobody closed; it uses a recording that lies elsewhere."""
    cut = _FIRST_DAY - timedelta(days=340)
    top = "last year/highlights 2024"
    uses = ["media/HILL_0001.mp4", "media/HILL_0002.mp4", "../../music/recordings/take-2.wav"]
    events = "".join(
        f"{number:03}  AX       V     C        00:00:00:00 00:00:02:00 01:00:00:00 01:00:02:00\n* SOURCE FILE: {path}\n"
        for number, path in enumerate(uses, start=1)
    )
    yield f"{top}/highlights.edl", f"TITLE: KITE DAYS 2024\nFCM: NON-DROP FRAME\n\n{events}".encode(), cut
    yield f"{top}/notes.txt", b"Music cleared with the band. The poster is on the shelf drive.\n", cut
    for number in (1, 2):
        filmed = cut - timedelta(days=20, hours=number)
        yield f"{top}/media/HILL_000{number}.mp4", sounds.film(700 + number, 2.5), filmed
        yield f"{top}/proxies/HILL_000{number}.mp4", sounds.film(710 + number, 1.0), cut - timedelta(days=19)
    # The film that all of it was for lies where its maker put it, whatever that folder is called.
    yield f"{top}/renders/highlights 2024 final.mp4", sounds.film(720, 4.0), cut + timedelta(hours=2)
    yield f"{top}/cache/preview.bin", Random("preview").randbytes(400_000), cut  # noqa: S311
    later = cut + timedelta(days=150)
    titles = "last year/opening titles"
    yield f"{titles}/titles.edl", b"TITLE: OPENING\n\n001  AX  V  C  0 2 0 2\n* FROM CLIP NAME: TTL_0001.mp4\n", later
    yield f"{titles}/TTL_0001.mp4", sounds.film(730, 2.0), later - timedelta(days=2)
    yield f"{titles}/grain.bin", Random("grain").randbytes(300_000), later  # noqa: S311
    yield f"{titles}/renders/titles.mp4", sounds.film(731, 1.5), later


def _edit_of_this_week(today: datetime) -> Iterator[File]:
    """A project that somebody works on, whatever the day is."""
    top = "teaser for next year"
    events = "001  AX       V     C        00:00:00:00 00:00:01:00 01:00:00:00 01:00:01:00\n* SOURCE FILE: sky.mp4\n"
    yield f"{top}/teaser.edl", f"TITLE: TEASER\nFCM: NON-DROP FRAME\n\n{events}".encode(), today - timedelta(days=2)
    yield f"{top}/sky.mp4", sounds.film(740, 1.5), today - timedelta(days=5)


def _write(path: str, content: bytes, moment: datetime) -> None:
    os.makedirs(os.path.dirname(path), exist_ok=True)
    with open(path, "xb") as file:
        file.write(content)
    nanoseconds = round(moment.timestamp()) * 1_000_000_000
    os.utime(path, ns=(nanoseconds, nanoseconds))


def _modified(path: str) -> datetime:
    return datetime.fromtimestamp(os.stat(path).st_mtime, UTC)
