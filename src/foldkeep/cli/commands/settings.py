"""Show the settings in force and where they come from.

Settings are a TOML file: what scans pass by, how keepers are chosen, what is
protected, when releasing is proposed, reminders, kinds of your own and their
colours in maps. --write makes one with every key, what it means and what is
built in; take the # before a line away to set it. A key that is not there keeps
its built-in value, one that is not known is refused.

  [scan]
  ignore_folders = ["node_modules", "/media/scratch"]

  [keep]
  prefer = ["under:~/Masters", "together", "oldest", "first-by-name"]
  protect = ["~/Portfolio", "*.psd"]

  [fold]
  release_after = "30d"
"""

import argparse

from ..environment import Environment, ExitStatus
from ..options import Option, Takes

EXAMPLES = """\
examples:
  foldkeep settings
  foldkeep settings --write
  foldkeep settings --config mine.toml
"""


OPTIONS = (
    Option("--write", "write a commented settings file, if there is none yet"),
    Option("--config", "a settings file, instead of your own", Takes.FILE, "FILE"),
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Write a file if that is asked for, and show the settings."""
    import os

    from foldkeep.formats.own import settings_table, write_settings
    from foldkeep.model import visible
    from foldkeep.show.answers.settings import SettingsAnswer

    if args.write:
        write_settings(env.settings_path(args))
    file = env.settings(args)
    env.answer(args, SettingsAnswer(visible(file.path), os.path.exists(file.path), settings_table(file)))
    return ExitStatus.DONE
