"""Build: everything is in pyproject.toml but the manual and the completion of shells, made from the options."""

import os
import sys

from setuptools import setup
from setuptools.command.build_py import build_py

HERE = os.path.dirname(os.path.abspath(__file__))
sys.path.insert(0, os.path.join(HERE, "src"))

SHARED = {
    "bash": "share/bash-completion/completions/foldkeep",
    "zsh": "share/zsh/site-functions/_foldkeep",
    "fish": "share/fish/vendor_completions.d/foldkeep.fish",
}


def written(folder: str, name: str, text: str) -> str:
    """Write a file below the build folder and return its path, relative to here."""
    path = os.path.join("build", "made", folder, name)
    os.makedirs(os.path.join(HERE, os.path.dirname(path)), exist_ok=True)
    with open(os.path.join(HERE, path), "w", encoding="utf-8") as file:
        file.write(text)
    return path


def made() -> list[tuple[str, list[str]]]:
    """Make what an installation puts beside the program: pages of the manual, scripts of shells."""
    from foldkeep.cli.completion import script_for
    from foldkeep.cli.manual import pages

    manual = [written("man1", name, text) for name, text in pages().items()]
    scripts = [
        (os.path.dirname(where), [written(shell, os.path.basename(where), script_for(shell))])
        for shell, where in SHARED.items()
    ]
    return [("share/man/man1", manual), *scripts]


class BuildWithScripts(build_py):
    """Puts the scripts of shells into the package as well, for `foldkeep completion`."""

    def run(self) -> None:
        """Copy the modules, then write the scripts beside them."""
        super().run()
        if self.editable_mode:
            return
        from foldkeep.cli.completion import SHELLS, script_for

        folder = os.path.join(self.build_lib, "foldkeep", "cli", "shells")
        os.makedirs(folder, exist_ok=True)
        for shell in SHELLS:
            with open(os.path.join(folder, f"foldkeep.{shell}"), "w", encoding="utf-8") as file:
                file.write(script_for(shell))


setup(data_files=made(), cmdclass={"build_py": BuildWithScripts})
