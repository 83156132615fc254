"""Install Fold Keep from this folder into .venv, and say how far that is: scripts/install.py EXTRA STAMP.

Runs with any Python from 3.11 on, before anything is installed.
"""

import os
import re
import subprocess
import sys
import time
from pathlib import Path

LEAST = (3, 11)
WHAT = {"demo": "the demo", "all": "every command", "dev": "the tests"}
EXTRAS = {"demo": "media,charts,timelines", "all": "all", "dev": "dev"}


def main(extra: str, stamp: str) -> int:
    """Make the virtual environment where there is none, and install an extra with what it needs."""
    if sys.version_info < LEAST:
        found = ".".join(map(str, sys.version_info[:3]))
        print(f"Fold Keep needs Python {LEAST[0]}.{LEAST[1]} or newer; this is {found}: make PYTHON=python3.12")
        return 1
    begun = time.monotonic()
    python = Path(".venv/bin/python")
    if not python.exists():
        say("making .venv")
        if subprocess.run([sys.executable, "-m", "venv", ".venv"], check=False).returncode:
            print("no virtual environment can be made; on Debian: apt-get install python3-venv")
            return 1
    say(f"asking for what {WHAT[extra]} needs")
    # Modules are compiled when they are first used: most of what is installed never is.
    line = [python, "-m", "pip", "install", "--no-compile", "--progress-bar", "off", "--constraint", "constraints.txt",
            "--editable", f".[{EXTRAS[extra]}]"]  # fmt: skip
    told: list[str] = []
    packages = 0
    with subprocess.Popen(line, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True) as pip:
        for text in pip.stdout or ():
            told.append(text)
            if found := re.match(r" *(?:Collecting|Downloading|Requirement already satisfied:) +([\w.-]+)", text):
                packages += text.startswith("Collecting")
                say(f"getting package {packages}: {found[1].partition('-')[0]}")
            elif text.startswith("Installing collected packages"):
                packages = text.count(",") + 1
                say(f"putting {packages} packages into .venv")
    if pip.returncode:
        say("")
        print("".join(told[-30:]), end="")
        return 1
    say("")
    print(f"Installed for {WHAT[extra]}: {packages} packages in {time.monotonic() - begun:.0f} s.")
    Path(stamp).touch()
    return 0


def say(text: str) -> None:
    """Show one line in place of the last; where no terminal is, lines one after the other."""
    if sys.stdout.isatty():
        width = os.get_terminal_size().columns - 1
        print("\r" + text[:width].ljust(width) + "\r", end="", flush=True)
    elif text and not text.startswith("getting"):
        print(text, flush=True)


if __name__ == "__main__":
    sys.exit(main(*sys.argv[1:]))
