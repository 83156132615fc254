"""Show the settings in force and where they come from.

Settings are a TOML file that you may write: what scans pass by, how keepers are
chosen, what does not count in a folder that is to be empty, kinds of your own,
and their colours in maps. A key that is not there keeps its built-in value.

  [scan]
  ignore_folders = ["node_modules", "/media/scratch"]
  ignore_names = ["*.tmp"]
  smallest = "10kB"

  [keep]
  same = "content,essence"
  prefer = ["under:~/Masters", "together", "oldest", "first-by-name"]
  protect = ["~/Portfolio", "*.psd"]
  takes_programs = false

  [fold]
  litter = ["Thumbs.db", ".DS_Store"]

  [kinds]
  photo = ["xyz"]
  score = ["mxl", "musicxml"]

  [colors]
  score = "#882255"
"""

import argparse

from ..environment import Environment, ExitStatus
from ..options import Option, Takes

EXAMPLES = """\
examples:
  foldkeep settings
  foldkeep settings --config mine.toml
"""


OPTIONS = (Option("--config", "a settings file, instead of your own", Takes.FILE, "FILE"),)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Show the settings."""
    import os

    from foldkeep.formats.own import settings_table
    from foldkeep.model import visible
    from foldkeep.show.answers.settings import SettingsAnswer

    file = env.settings(args)
    env.answer(args, SettingsAnswer(visible(file.path), os.path.exists(file.path), settings_table(file)))
    return ExitStatus.DONE
