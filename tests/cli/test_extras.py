"""The program with less installed: what a command then lacks is one line, and nothing else changes."""

import json
import os
import subprocess
import sys

import pytest

from foldkeep.model.extras import EXTRAS

BLOCKER = """\
import os, sys

class Absent:
    def find_spec(self, name, path=None, target=None):
        if name in os.environ["ABSENT"].split(","):
            raise ModuleNotFoundError(f"No module named {name!r}", name=name)

sys.meta_path.insert(0, Absent())
"""
"""Stands in for a library that is not installed, in the program and in the helpers that it starts."""


@pytest.fixture
def small(sample, tmp_path):
    """Return what runs the program without the modules of all extras but those named."""
    (tmp_path / "absent").mkdir()
    (tmp_path / "absent" / "sitecustomize.py").write_text(BLOCKER)
    subprocess.run(["cp", "-a", sample, tmp_path / "kites"], check=True)

    def run(*line, having=()):
        kept = {module for extra in having for module in EXTRAS[extra]}
        absent = {module for modules in EXTRAS.values() for module in modules} - kept
        variables = {
            **os.environ,
            "PYTHONPATH": f"{tmp_path / 'absent'}:{os.environ.get('PYTHONPATH', '')}",
            "ABSENT": ",".join(absent),
            "FOLDKEEP_STOCK": str(tmp_path / "stock.sqlite3"),
            "XDG_CONFIG_HOME": str(tmp_path / "config"),
        }
        return subprocess.run(
            [sys.executable, "-m", "foldkeep", *map(str, line)],
            capture_output=True,
            text=True,
            env=variables,
            cwd=tmp_path,
        )

    return run


@pytest.mark.more
def test_the_small_installation_finds_keeps_folds_and_brings_back(small, tmp_path):
    before = {path: path.stat().st_size for path in (tmp_path / "kites").rglob("*") if path.is_file()}
    assert small("scan", "kites").returncode == 0
    found = json.loads(small("duplicates", "--json").stdout)
    assert found["totals"]["sets"] > 10
    assert small("keep", "-o", "docket.csv").returncode == 0
    assert small("projects").returncode in (0, 1)
    assert small("caches").returncode in (0, 1)
    assert small("space").returncode == 0
    folded = small("fold", "docket.csv", "--yes", "--leave-sidecars")
    assert folded.returncode == 0, folded.stderr
    assert small("unfold", "--last").returncode == 0
    after = {path: path.stat().st_size for path in (tmp_path / "kites").rglob("*") if path.is_file()}
    assert {path: size for path, size in after.items() if ".foldkeep" not in path.parts} == before


@pytest.mark.more
@pytest.mark.parametrize(
    ("line", "having", "needs"),
    [
        (["sheet"], (), "media"),
        (["sheet"], ("media",), "charts"),
        (["space", "--treemap", "map.png"], ("media",), "charts"),
        (["archive", "kites/library/edit", "--to", ".", "--format", "iso"], ("media", "charts"), "discs"),
        (["demo"], (), "media"),
        (["alike"], (), "media"),
        (["inventory", "save", "kites.parquet"], (), "fleet"),
        (["places", "--machine-key"], (), "fleet"),
    ],
)
def test_a_command_says_what_it_lacks(small, tmp_path, line, having, needs):
    assert small("scan", "kites").returncode == 0
    names = set(os.listdir(tmp_path))
    answer = small(*line, having=having)
    assert answer.returncode == 2
    (told,) = answer.stderr.splitlines()
    assert told.endswith(f"pip install 'fold-keep[{needs}]'")
    assert not answer.stdout
    assert set(os.listdir(tmp_path)) == names


def test_what_a_photo_says_is_asked_again_once_it_can_be_read(small, tmp_path):
    assert small("scan", "kites").returncode == 0
    photo = "kites/library/stills/camera-a/day-1/WKD_0001.jpg"
    lacking = small("show", photo)
    assert lacking.returncode == 1
    assert "fold-keep[media]" in lacking.stdout
    told = small("show", photo, having=("media",))
    assert told.returncode == 0
    assert "MP" in told.stdout


def test_a_sidecar_is_not_written_while_its_photo_cannot_be_asked(small, tmp_path):
    photo = tmp_path / "kites/library/stills/camera-a/day-1/WKD_0001.jpg"
    (tmp_path / "pair").mkdir()
    for name in ("kite.jpg", "kite copy.jpg"):
        (tmp_path / "pair" / name).write_bytes(photo.read_bytes())
    (tmp_path / "list.csv").write_text(f"path,keywords,rating\n{tmp_path}/pair/kite copy.jpg,hill,3\n")
    assert small("scan", "pair").returncode == 0
    assert small("keep", "-o", "docket.csv").returncode == 0
    answer = small("fold", "docket.csv", "--yes", "--catalog", "list.csv")
    assert answer.returncode == 2
    assert "fold-keep[media]" in answer.stderr
    assert json.loads(small("ledger", "--json").stdout)["runs"] == []
    assert small("fold", "docket.csv", "--yes", "--catalog", "list.csv", having=("media",)).returncode == 0
    assert (tmp_path / "pair" / "kite.xmp").exists()
