"""Print which share of all Python lines is test code; fail if it is out of bounds."""

import subprocess
import sys
from pathlib import Path

LEAST, MOST = 22, 35


def lines(path: Path) -> int:
    """Return how many lines of a file are not blank."""
    return sum(bool(line.strip()) for line in path.read_text().splitlines())


tracked = subprocess.run(
    ["git", "ls-files", "--cached", "--others", "--exclude-standard", "*.py"],
    capture_output=True,
    text=True,
    check=True,
)
files = [Path(name) for name in tracked.stdout.splitlines() if Path(name).exists()]
tests = sum(lines(path) for path in files if path.parts[0] == "tests")
everything = sum(map(lines, files))
share = 100 * tests / everything
print(f"test code: {tests} of {everything} Python lines, {share:.1f} %")
sys.exit(not LEAST <= share <= MOST)
