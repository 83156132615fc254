"""Check that nothing in the core of folding deletes anything but `fold/removing`, here or on a server."""

import ast
import sys
from pathlib import Path

ROOM = Path("src/foldkeep/fold")
ALLOWED = ROOM / "removing"
_ON_SERVERS = ("storage", "remote_storage")


def deletions(tree: ast.AST) -> list[int]:
    """Return the lines that unlink a name, or have a server delete a file."""
    found = []
    for node in ast.walk(tree):
        if isinstance(node, ast.Name) and node.id == "unlink":
            found.append(node.lineno)
        if isinstance(node, ast.ImportFrom) and any(name.name == "unlink" for name in node.names):
            found.append(node.lineno)
        if isinstance(node, ast.Attribute) and node.attr == "remove":
            of = ast.unparse(node.value)
            if of.partition("(")[0].rpartition(".")[2] in _ON_SERVERS:
                found.append(node.lineno)
    return found


def main() -> int:
    """Return how many places delete something that may not."""
    wrong = 0
    for path in sorted(ROOM.rglob("*.py")):
        if ALLOWED in path.parents:
            continue
        for line in deletions(ast.parse(path.read_text())):
            print(f"{path}:{line} deletes; go through fold.removing")
            wrong += 1
    if not wrong:
        print("nothing is deleted but by fold/removing")
    return wrong


if __name__ == "__main__":
    sys.exit(bool(main()))
