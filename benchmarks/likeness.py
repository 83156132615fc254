"""How well likeness finds what was done to photos, sounds and films, and what it takes for alike that is not.

python -m benchmarks.likeness [FOLDER…]

Without a folder, the photos and music of Debian's packages gnome-backgrounds, mate-backgrounds, python3-skimage and
wesnoth-1.16-music are used, which apt-get must be able to fetch. Every photo, every recording, and films made of the
photos with the music, are changed in many ways; all prints are compared with all.
"""

import io
import subprocess
import sys
import tempfile
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Sequence
from pathlib import Path

from PIL import Image, ImageDraw, ImageEnhance, ImageFilter, ImageOps, ImageStat

from foldkeep.find.likeness import FilmPair, compared, like_films, like_pictures, like_sounds
from foldkeep.find.likeness.frames import Sureness
from foldkeep.signals.film_comparison import agreement
from foldkeep.signals.film_prints import film_print
from foldkeep.signals.photo_prints import photo_print
from foldkeep.signals.sound_prints import sound_print
from foldkeep.stock import KnownPrint

from . import films, recordings

PACKAGES = ("gnome-backgrounds", "mate-backgrounds", "python3-skimage", "wesnoth-1.16-music")
LARGEST, LEAST = 2000, 300
FILMS, LENGTHS = 20, ((20, 2.5), (24, 4), (30, 6), (16, 8))  # seconds, and seconds of a shot
LEAST_DEVIATION = 20
CROPS = (0.02, 0.05, 0.1, 0.15, 0.2)


def jpeg(image: Image.Image, quality: int = 85) -> bytes:
    return encoded(image, "JPEG", quality=quality)


def encoded(image: Image.Image, form: str, **named: int) -> bytes:
    stream = io.BytesIO()
    image.convert("RGB").save(stream, form, **named)
    return stream.getvalue()


def scaled(image: Image.Image, by: float) -> bytes:
    return jpeg(image.resize((round(image.width * by), round(image.height * by)), Image.Resampling.LANCZOS))


def cropped(image: Image.Image, left: float, top: float, right: float, bottom: float) -> bytes:
    width, height = image.size
    box = (left * width, top * height, (1 - right) * width, (1 - bottom) * height)
    return jpeg(image.crop(tuple(map(int, box))))


def around(image: Image.Image, part: float) -> bytes:
    return cropped(image, part / 2, part / 2, part / 2, part / 2)


def gamma(image: Image.Image, power: float) -> bytes:
    return jpeg(image.point([round(255 * (value / 255) ** power) for value in range(256)] * 3))


def bordered(image: Image.Image, color: str, part: float) -> bytes:
    return jpeg(ImageOps.expand(image, round(min(image.size) * part), color))


def marked(image: Image.Image) -> bytes:
    copy = image.copy()
    width, height = copy.size
    ImageDraw.Draw(copy).text((width * 0.7, height * 0.92), "Windmere Kite Days", "white", font_size=height // 28)
    return jpeg(copy)


VARIANTS: dict[str, Callable[[Image.Image], bytes]] = {
    **{f"JPEG quality {quality}": lambda image, quality=quality: jpeg(image, quality) for quality in (95, 75, 50, 30)},
    **{f"size {part:.0%}": lambda image, part=part: scaled(image, part) for part in (0.75, 0.5, 0.25, 0.1)},
    "PNG": lambda image: encoded(image, "PNG"),
    "WebP quality 70": lambda image: encoded(image, "WEBP", quality=70),
    **{f"brightness {by}": lambda image, by=by: jpeg(ImageEnhance.Brightness(image).enhance(by)) for by in (0.7, 1.3)},
    **{f"contrast {by}": lambda image, by=by: jpeg(ImageEnhance.Contrast(image).enhance(by)) for by in (0.7, 1.4)},
    **{f"gamma {by}": lambda image, by=by: gamma(image, by) for by in (0.7, 1.5)},
    "grey": lambda image: jpeg(image.convert("L")),
    "colour 1.6": lambda image: jpeg(ImageEnhance.Color(image).enhance(1.6)),
    "sharpened": lambda image: jpeg(image.filter(ImageFilter.UnsharpMask(2, 150))),
    "blurred": lambda image: jpeg(image.filter(ImageFilter.GaussianBlur(max(1, image.width // 800)))),
    "mirrored": lambda image: jpeg(ImageOps.mirror(image)),
    "upside down": lambda image: jpeg(ImageOps.flip(image)),
    **{
        f"turned {by}": lambda image, by=by: jpeg(image.transpose(getattr(Image.Transpose, f"ROTATE_{by}")))
        for by in (90, 180, 270)
    },
    **{f"crop {part:.0%} around": lambda image, part=part: around(image, part) for part in CROPS},
    "crop 10% corner": lambda image: cropped(image, 0.1, 0.1, 0, 0),
    "crop 7% side": lambda image: cropped(image, 0, 0, 0.07, 0),
    "crop 15% side": lambda image: cropped(image, 0.15, 0, 0, 0),
    "crop 20% side": lambda image: cropped(image, 0, 0.2, 0, 0),
    "border 5%": lambda image: bordered(image, "white", 0.05),
    "border 20%": lambda image: bordered(image, "black", 0.2),
    "watermark": marked,
}


def photos(folders: list[Path]) -> Iterator[tuple[str, Image.Image]]:
    """Yield the photos below folders that are neither tiny nor plain, no larger than `LARGEST` a side."""
    for path in sorted(path for folder in folders for path in folder.rglob("*") if path.is_file()):
        if path.suffix.lower() not in (".jpg", ".jpeg", ".png", ".webp", ".tif"):
            continue
        try:
            image = Image.open(path).convert("RGB")
        except (OSError, ValueError):
            continue
        if min(image.size) >= LEAST:
            image.thumbnail((LARGEST, LARGEST))
            yield path.name, image


def prints_of(folders: list[Path], scratch: Path) -> tuple[list[KnownPrint], list[tuple[str, str]]]:
    """Return the prints of all photos and their variants, and of each the photo and the variant."""
    prints: list[KnownPrint] = []
    what: list[tuple[str, str]] = []
    for name, image in photos(folders):
        for variant, change in {"": lambda image: encoded(image, "PNG"), **VARIANTS}.items():
            path = scratch / "picture"
            path.write_bytes(change(image))
            found = photo_print(str(path).encode())
            if found.problem:
                if not variant:
                    print(f"{name}: {found.problem}", file=sys.stderr)
                    break
                continue
            prints.append(found)
            what.append((name, variant))
    return prints, what


class Table:
    """Which changes of which originals were found, and what else was called alike."""

    def __init__(self, what: str, sorts: Sequence[tuple[str, str]], ways: Iterable[str]) -> None:
        self._what, self._sorts, self._ways = what, sorts, ways
        self._found: dict[bool, dict[str, set[str]]] = {False: defaultdict(set), True: defaultdict(set)}
        self._wrong = {False: set[tuple[str, str]](), True: set[tuple[str, str]]()}

    def add(self, one: int, other: int, is_strong: bool) -> None:
        """Note a pair that was called alike."""
        (name, way), (another, its) = self._sorts[one], self._sorts[other]
        if name != another:
            self._wrong[is_strong].add((min(name, another), max(name, another)))
        elif not way or not its:
            for strong in {False, is_strong}:
                self._found[strong][way or its].add(name)

    def write(self) -> None:
        """Print it in Markdown."""
        originals = {name for name, way in self._sorts if not way}
        print(f"| {self._what} | found | of these strong |\n| --- | --- | --- |")
        for way in self._ways:
            shares = (len(self._found[strong][way]) / len(originals) for strong in (False, True))
            print(f"| {way} | " + " | ".join(f"{share:.1%}" for share in shares) + " |")
        pairs = len(self._sorts) * (len(self._sorts) - 1) // 2
        print(f"\n{len(originals)} originals, {len(self._sorts):,} prints, {pairs:,} pairs looked at.")
        for strong, word in ((True, "strong"), (False, "fair")):
            print(f"Pairs of different ones called {word}: {len(self._wrong[strong])}")
            for one, other in sorted(self._wrong[strong])[:12]:
                print(f"- {one} and {other}")
        print(flush=True)


def main() -> None:
    """Measure photos, sounds and films, and print a table of each in Markdown."""
    with tempfile.TemporaryDirectory(prefix="likeness-") as folder:
        scratch = Path(folder)
        folders = [Path(word) for word in sys.argv[1:]] or [_fetched(scratch)]
        measure_photos(folders, scratch)
        measure_sounds(folders, scratch)
        measure_films(folders, scratch)


def measure_photos(folders: list[Path], scratch: Path) -> None:
    """Change every photo in each way, and compare all with all."""
    prints, sorts = prints_of(folders, scratch)
    table = Table("photo", sorts, VARIANTS)
    for pair in like_pictures(prints, lambda number: prints[number].parts, lambda number: prints[number].detail):
        table.add(pair.one, pair.other, pair.is_strong)
    table.write()


def measure_sounds(folders: list[Path], scratch: Path) -> None:
    """Change every recording in each way, and compare each way with all that was not changed."""
    music = list(recordings.recordings(folders))
    path = scratch / "sound"

    def printed(content: bytes) -> KnownPrint:
        path.write_bytes(content)
        return sound_print(str(path).encode())

    originals = [printed(recordings.encoded(samples, recordings.FLAC)) for _, samples in music]
    names = [(name, "") for name, _ in music]
    sorts = names + [(name, way) for way in recordings.WAYS for name, _ in music]
    table = Table("sound", sorts, recordings.WAYS)
    for number, (change, coded) in enumerate(recordings.WAYS.values(), start=1):
        changed = [printed(recordings.encoded(change(samples), coded)) for _, samples in music]
        for pair in like_sounds(originals + changed):
            one, other = (
                each if each < len(music) else each + (number - 1) * len(music) for each in (pair.one, pair.other)
            )
            table.add(one, other, pair.is_strong)
    table.write()


def measure_films(folders: list[Path], scratch: Path) -> None:
    """Make films of the photos, change each in each way, and compare all with all."""
    pictures = [
        image for _, image in photos(folders) if float(ImageStat.Stat(image.convert("L")).stddev[0]) > LEAST_DEVIATION
    ]
    music = [samples for _, samples in recordings.recordings(folders)]
    sorts: list[tuple[str, str]] = []
    paths: list[bytes] = []
    for number in range(FILMS):
        frames = films.scenes(pictures, number, *LENGTHS[number % len(LENGTHS)])
        sound = music[number % len(music)][: len(frames) * films.SOUND_RATE // films.RATE]
        for name, way in {"": films.Way(), **films.WAYS}.items():
            path = scratch / f"{number}-{len(paths)}.{way.suffix}"
            path.write_bytes(films.encoded(frames, sound, way))
            sorts.append((str(number), name))
            paths.append(str(path).encode())
    prints, heard = [film_print(path) for path in paths], [sound_print(path) for path in paths]
    kept = [number for number, each in enumerate(prints) if not each.problem]
    table = Table("film", sorts, films.WAYS)
    sounds = {(pair.one, pair.other): pair for pair in like_sounds([heard[number] for number in kept])}
    found = like_films([prints[number] for number in kept], [heard[number].print for number in kept], sounds)
    for pair in found:
        one, other = kept[pair.one], kept[pair.other]
        if sorts[one][0] == sorts[other][0] and sorts[one][1] and sorts[other][1]:
            continue  # two changed ones of one film are not counted
        told: FilmPair | None = pair
        if not pair.is_strong:
            told = compared(pair, agreement(paths[one], paths[other], pair.offset))
        if told is not None and told.sureness is not Sureness.OPEN:
            table.add(one, other, told.is_strong)
    table.write()


def _fetched(scratch: Path) -> Path:
    target = scratch / "photos"
    subprocess.run(["apt-get", "download", *PACKAGES], cwd=scratch, check=True, capture_output=True)
    for package in scratch.glob("*.deb"):
        subprocess.run(["dpkg-deb", "-x", package, target], check=True)
    return target


if __name__ == "__main__":
    main()
