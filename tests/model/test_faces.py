"""What the faces of rooms name, beside what Python's own parser reads in them."""

import ast
import importlib
from pathlib import Path

import pytest

import foldkeep

_TOP = Path(foldkeep.__file__).parent
_FACES = sorted(path for path in _TOP.rglob("__init__.py") if "names_of(" in path.read_text())


@pytest.mark.parametrize("face", _FACES, ids=lambda path: str(path.parent.relative_to(_TOP)))
def test_a_face_gives_each_name_that_it_imports_for_people(face: Path):
    tree = ast.parse(face.read_text())
    guarded = [node for node in tree.body if isinstance(node, ast.If) and ast.unparse(node.test) == "TYPE_CHECKING"]
    names = [alias.asname or alias.name for node in guarded for each in ast.walk(node)
             if isinstance(each, ast.ImportFrom) for alias in each.names]  # fmt: skip
    package = importlib.import_module(".".join(("foldkeep", *face.parent.relative_to(_TOP).parts)))
    assert names
    assert all(getattr(package, name) is not None for name in names)
    with pytest.raises(AttributeError):
        package.no_name_of_any_face  # noqa: B018
