"""Timelines and playlists that nobody here wrote: the samples in source packages of others."""

import subprocess
import sys
from collections import Counter
from pathlib import Path

import opentimelineio as otio
import pytest
from defusedxml import ElementTree

from foldkeep.formats.catalogs import catalog_source, read_catalog
from foldkeep.model import UnusableInput
from harness.packages import extract

PACKAGES = ("opentimelineio", "otio-cmx3600-adapter", "xspf-lib")
SUFFIXES = {".otio", ".edl", ".m3u", ".m3u8", ".pls", ".xspf"}


@pytest.fixture(scope="module", params=PACKAGES)
def samples(request, tmp_path_factory) -> list[Path]:
    """The timelines and playlists in the source package of another project."""
    top = tmp_path_factory.mktemp("package")
    line = [
        sys.executable,
        "-m",
        "pip",
        "download",
        "-q",
        "--no-deps",
        "--no-binary",
        request.param,
        request.param,
        "-d",
        top,
    ]
    fetched = subprocess.run(line, capture_output=True, text=True, timeout=1500, check=False)
    if fetched.returncode:
        pytest.skip(f"{request.param} is not to be had here: {fetched.stderr[-200:]}")
    (package,) = top.iterdir()
    extract(package, top / "x", trust="data")
    return sorted(path for path in (top / "x").rglob("*") if path.suffix in SUFFIXES and path.is_file())


def expected(path: Path) -> list[str] | None:
    """What somebody else's reader, or a plain one, finds in a file; None where there is nothing to compare with."""
    if path.suffix == ".xspf":
        root = ElementTree.parse(path).getroot()
        found = root.findall("{*}trackList/{*}track/{*}location")
        plain = not any(name.endswith("base") for element in root.iter() for name in element.attrib)
        return [text for each in found if (text := (each.text or "").strip())] if plain else None
    if path.suffix == ".otio":
        timeline = otio.adapters.read_from_file(str(path))
        clips = timeline.find_clips() if hasattr(timeline, "find_clips") else None
        if clips is None:
            return None
        media = [reference for clip in clips for reference in clip.media_references().values()]
        return [
            each.target_url for each in media if isinstance(each, otio.schema.ExternalReference) and each.target_url
        ]
    if path.suffix in (".m3u", ".m3u8"):
        lines = path.read_bytes().decode("utf-8", "surrogateescape").splitlines()
        return [line.strip() for line in lines if line.strip() and not line.startswith("#")]
    return None


@pytest.mark.long
def test_what_others_wrote_is_read(samples: list[Path]):
    assert samples
    read = Counter[str]()
    for path in samples:
        try:
            texts = [entry.text for entry in read_catalog(catalog_source(str(path)))]
        except UnusableInput:
            if "/fail/" not in str(path):
                raise
            texts = None
        read[path.suffix] += texts is not None
        if texts is None or (wanted := expected(path)) is None:
            continue
        if path.suffix == ".otio":
            assert Counter(texts) == Counter(wanted), path
        else:
            assert len(texts) == len(wanted), path
    print(f"read: {dict(read)} of {len(samples)} files")
