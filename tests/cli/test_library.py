"""What programs call: every example of the public interface runs as it stands, and nothing else is public."""

import doctest
import inspect
import os
import re
import subprocess
import sys
from pathlib import Path

import pytest

import foldkeep
from foldkeep import library

FUNCTIONS = [name for name in foldkeep.__all__ if inspect.isfunction(getattr(foldkeep, name))]


@pytest.fixture
def pictures(tmp_path, monkeypatch):
    """Make the folder that the examples speak of, in the folder where they run."""
    made = tmp_path / "Pictures"
    (made / "best").mkdir(parents=True)
    for path, content in (("kite.jpg", b"kite"), ("best/kite (1).jpg", b"kite"), ("tent.jpg", b"a tent")):
        (made / path).write_bytes(content * 1000)
    monkeypatch.chdir(tmp_path)
    return made


def test_the_example_of_the_docs_runs(pictures):
    before = {path: path.read_bytes() for path in pictures.rglob("*.jpg")}
    text = (Path(__file__).parents[2] / "docs/scripting.md").read_text()
    (example,) = re.findall(r"```python\n(.*?)```", text, re.DOTALL)
    told = {}
    exec(example, told)  # noqa: S102 - it is ours
    assert told["report"].folded == 1
    assert {path: path.read_bytes() for path in pictures.rglob("*.jpg")} == before


@pytest.mark.parametrize("name", FUNCTIONS)
def test_every_function_has_an_example_that_runs(name, pictures):
    function = getattr(foldkeep, name)
    (example,) = doctest.DocTestFinder(recurse=False).find(
        function, name, globs={**vars(library), "os": os}, module=inspect.getmodule(function)
    )
    assert example.examples, f"{name} has no example"
    told: list[str] = []
    doctest.DocTestRunner(optionflags=doctest.NORMALIZE_WHITESPACE).run(example, out=told.append)
    assert not told, "".join(told)


def test_the_names_are_those_of_the_library_and_cost_nothing_before_they_are_asked_for():
    assert sorted(foldkeep.__all__) == sorted(library.__all__)
    code = "import sys, foldkeep; print(*[name for name in sys.modules if name.startswith('foldkeep.')]); foldkeep.Role"
    asked = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert not asked.stdout.split()
    with pytest.raises(AttributeError, match="no attribute 'nothing'"):
        _ = foldkeep.nothing
