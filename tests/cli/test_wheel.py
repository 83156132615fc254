"""What is handed out: the wheel, installed where nothing else is, runs the example and type checks with its marker."""

import shutil
import subprocess
import sys
import zipfile
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]


@pytest.mark.long
def test_the_wheel_alone_runs_the_example(tmp_path):
    pip = [sys.executable, "-m", "pip", "--quiet", "--quiet"]
    subprocess.run([*pip, "wheel", "--no-deps", "--wheel-dir", tmp_path, ROOT], check=True)
    (wheel,) = tmp_path.glob("fold_keep-*.whl")
    names = zipfile.ZipFile(wheel).namelist()
    for name in ("py.typed", "show/pictures/templates/sheet.html", "formats/own/recipes.toml"):
        assert f"foldkeep/{name}" in names
    assert not any(name.startswith("tests") for name in names)
    beside = {name.partition(".data/data/")[2] for name in names}
    for name in ("man/man1/foldkeep.1", "man/man1/foldkeep-checkup.1", "bash-completion/completions/foldkeep",
                 "zsh/site-functions/_foldkeep", "fish/vendor_completions.d/foldkeep.fish"):  # fmt: skip
        assert f"share/{name}" in beside

    subprocess.run([sys.executable, "-m", "venv", tmp_path / "empty"], check=True)
    bin_ = tmp_path / "empty" / "bin"
    install = [bin_ / "python", "-m", "pip", "--quiet", "--quiet", "install", "--constraint", ROOT / "constraints.txt"]
    subprocess.run([*install, wheel], check=True)
    plain = {"PATH": "/usr/bin:/bin", "HOME": str(tmp_path)}
    script = subprocess.run(
        [bin_ / "foldkeep", "completion", "bash"], env=plain, capture_output=True, text=True, check=True
    )
    assert "_foldkeep_places" in script.stdout, "the scripts came with the wheel: shtab is not here"
    if shutil.which("man"):
        page = subprocess.run(
            ["man", "-w", "foldkeep"], env=plain | {"PATH": f"{bin_}:/usr/bin:/bin"}, capture_output=True
        )
        assert page.stdout.decode().strip() == str(tmp_path / "empty/share/man/man1/foldkeep.1")
    lacking = subprocess.run([bin_ / "foldkeep", "demo"], cwd=tmp_path, env=plain, capture_output=True, text=True)
    assert (lacking.returncode, lacking.stderr.count("\n")) == (2, 1)
    subprocess.run([*install, f"{wheel}[all]"], check=True)
    shown = subprocess.run(
        [bin_ / "foldkeep", "demo", tmp_path / "kites"], cwd=tmp_path, env=plain, capture_output=True, text=True
    )
    assert shown.returncode == 0, shown.stderr
    assert "each one compared" in shown.stdout
