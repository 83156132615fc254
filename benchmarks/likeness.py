"""How well likeness finds what was done to real photos, and what it takes for alike that is not.

python -m benchmarks.likeness [FOLDER…]

Without a folder, the photos of Debian's packages gnome-backgrounds and mate-backgrounds are used, which apt-get must be
able to fetch. Every photo is changed in each way of `VARIANTS`; all prints are compared with all.
"""

import io
import subprocess
import sys
import tempfile
from collections import defaultdict
from collections.abc import Callable, Iterator
from pathlib import Path

from PIL import Image, ImageDraw, ImageEnhance, ImageFilter, ImageOps

from foldkeep.find.likeness import like_pictures
from foldkeep.signals.photo_prints import photo_print
from foldkeep.stock import KnownPrint

PACKAGES = ("gnome-backgrounds", "mate-backgrounds")
LARGEST, LEAST = 2000, 300
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


def main() -> None:
    """Measure and print a table in Markdown."""
    with tempfile.TemporaryDirectory(prefix="likeness-") as folder:
        scratch = Path(folder)
        folders = [Path(word) for word in sys.argv[1:]] or [_fetched(scratch)]
        prints, what = prints_of(folders, scratch)
    originals = {name for name, variant in what if not variant}
    found: dict[bool, dict[str, set[str]]] = {False: defaultdict(set), True: defaultdict(set)}
    wrong = {False: set[tuple[str, str]](), True: set[tuple[str, str]]()}
    for pair in like_pictures(prints, lambda number: prints[number].parts, lambda number: prints[number].detail):
        (one, its), (other, mine) = what[pair.one], what[pair.other]
        if one != other:
            wrong[pair.is_strong].add((min(one, other), max(one, other)))
        elif not its or not mine:
            for strong in {False, pair.is_strong}:
                found[strong][its or mine].add(one)
    print("| variant | found | of these strong |\n| --- | --- | --- |")
    for variant in VARIANTS:
        shares = (len(found[strong][variant]) / len(originals) for strong in (False, True))
        print(f"| {variant} | " + " | ".join(f"{share:.1%}" for share in shares) + " |")
    pairs = len(prints) * (len(prints) - 1) // 2
    print(f"\n{len(originals)} photos, {len(prints):,} prints, {pairs:,} pairs looked at.")
    for strong, word in ((True, "strong"), (False, "fair")):
        print(f"Pairs of different photos called {word}: {len(wrong[strong])}")
        for one, other in sorted(wrong[strong])[:12]:
            print(f"- {one} and {other}")


def _fetched(scratch: Path) -> Path:
    target = scratch / "photos"
    subprocess.run(["apt-get", "download", *PACKAGES], cwd=scratch, check=True, capture_output=True)
    for package in scratch.glob("*.deb"):
        subprocess.run(["dpkg-deb", "-x", package, target], check=True)
    return target


main()
