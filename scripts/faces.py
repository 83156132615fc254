"""Check the faces of the rooms: short enough to know by heart, and used instead of what is behind them."""

import ast
import sys
from pathlib import Path

MOST_NAMES = 25
SOURCE = Path("src")
# Rooms in which each module is a face: nouns by subject, one answer or command a module.
OPEN_ROOMS = ("foldkeep.model.", "foldkeep.show.answers.", "foldkeep.cli.")
OPEN_MODULES = (
    "foldkeep.scan.bins",
    "foldkeep.scan.candidates",
    "foldkeep.scan.cards",
    "foldkeep.scan.disks",
    "foldkeep.scan.fixity",
    "foldkeep.scan.on_disk",
    "foldkeep.scan.packages",
    "foldkeep.scan.probes",
    "foldkeep.scan.reading",
    "foldkeep.scan.workers",
    "foldkeep.signals.saved",
    "foldkeep.storage.local.holes",
    "foldkeep.storage.local.ownership",
    "foldkeep.storage.local.schedulers",
    "foldkeep.show.telling",
)


def module_of(path: Path) -> str:
    """Return the dotted name of a module."""
    return ".".join(path.relative_to(SOURCE).with_suffix("").parts).removesuffix(".__init__")


def room_of(module: str) -> str:
    """Return the room that a module is in; nothing for the package itself."""
    return ".".join(module.split(".")[1:2])


def face(tree: ast.Module) -> list[str] | None:
    """Return what an `__init__.py` names; None if it names nothing."""
    for node in tree.body:
        if isinstance(node, ast.Assign) and ast.unparse(node.targets[0]) == "__all__":
            return list(ast.literal_eval(node.value))
    return None


trees = {module_of(path): ast.parse(path.read_text()) for path in sorted(SOURCE.rglob("*.py"))}
faces = {module: names for module, tree in trees.items() if (names := face(tree)) is not None}
faults = [f"{module} names {len(names)}, more than {MOST_NAMES}" for module, names in faces.items()
          if len(names) > MOST_NAMES]  # fmt: skip
for module, tree in trees.items():
    for node in ast.walk(tree):
        if not isinstance(node, ast.ImportFrom) or node.level or not (node.module or "").startswith("foldkeep."):
            continue
        asked = node.module or ""
        if room_of(asked) == room_of(module) or asked.startswith(OPEN_ROOMS) or asked in OPEN_MODULES:
            continue
        behind = [alias.name for alias in node.names if alias.name not in faces.get(asked, ())]
        if behind:
            faults.append(f"{module}:{node.lineno} takes {', '.join(behind)} from behind the face of {asked}")
print("\n".join(faults) or f"{len(faces)} faces of at most {MOST_NAMES} names, and nothing is taken from behind them")
sys.exit(bool(faults))
