"""Show what is set, and where it comes from.

Settings are a TOML file that you may write: what scans pass by, how keepers are
chosen, what does not count in a folder that is to be empty, and kinds of your
own. A key that is not there keeps its built-in value.

  [scan]
  ignore_folders = ["node_modules", "/media/scratch"]
  ignore_names = ["*.tmp"]
  smallest = "10kB"

  [keep]
  prefer = ["under:~/Masters", "together", "oldest", "first-by-name"]
  protect = ["~/Portfolio", "*.psd"]

  [fold]
  litter = ["Thumbs.db", ".DS_Store"]

  [kinds]
  photo = ["xyz"]
  score = ["mxl", "musicxml"]
"""

import argparse

from .environment import Environment, ExitStatus

EXAMPLES = """\
examples:
  foldkeep settings
  foldkeep settings --config mine.toml
"""


def arrange(parser: argparse.ArgumentParser) -> None:
    """Declare the arguments."""
    parser.add_argument("--config", metavar="FILE", help="a settings file, instead of your own")


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Show the settings."""
    import os

    from foldkeep.formats.own import settings_table
    from foldkeep.model import visible
    from foldkeep.show import show_settings

    file = env.settings(args)
    table = settings_table(file)
    document = {
        "command": "settings",
        "file": visible(file.path),
        "settings": {key: {"value": value, "from": "file" if given else "built in"} for key, value, given in table},
    }
    env.answer(args, document, lambda page: show_settings(page, visible(file.path), os.path.exists(file.path), table))
    return ExitStatus.DONE
