"""Run the measures named on the command line, or all; print a table in Markdown.

python -m benchmarks [NAME…]
"""

import sys
import tempfile
from pathlib import Path

from .measures import MEASURES


def main() -> None:
    """Run and print."""
    wanted = sys.argv[1:] or list(MEASURES)
    unknown = [name for name in wanted if name not in MEASURES]
    if unknown:
        sys.exit(f"no measure {unknown[0]}; there are {', '.join(MEASURES)}")
    print("| work | Fold Keep | beside | ratio | aim |")
    print("| --- | --- | --- | --- | --- |")
    for name in wanted:
        with tempfile.TemporaryDirectory(prefix="bench-") as folder:
            for row in MEASURES[name](Path(folder)):
                print("| " + " | ".join(row) + " |", flush=True)


main()
