"""Bring an archived project back.

Every file is compared with the package's manifests while it is written, and
nothing is brought back if one is not what it should be. Nothing is overwritten:
the project gets a free name in DIR. Digests, modes, times, links and holes are
as they were. Media from outside the project gets a folder beside it, or goes
back where it came from with --outside-media-back.
"""

import argparse

from .environment import Environment, ExitStatus
from .parser import add_break_lock

EXAMPLES = """\
examples:
  foldkeep restore /media/shelf/highlights --to ~/Videos
  foldkeep restore highlights.tar --to ~/Videos --outside-media-back
"""


def arrange(parser: argparse.ArgumentParser) -> None:
    """Declare the arguments."""
    parser.add_argument("package", metavar="PACKAGE", help="a package that `foldkeep archive` made, or any bag")
    parser.add_argument("--to", metavar="DIR", required=True, help="a folder that is there")
    parser.add_argument(
        "--outside-media-back", action="store_true", help="put media from elsewhere back where it came from"
    )
    parser.add_argument("--special-modes", action="store_true", help="give setuid, setgid and sticky bits back as well")
    add_break_lock(parser)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Check, write, tell."""
    import os

    from foldkeep.fold import restore
    from foldkeep.model import UnusableInput, visible
    from foldkeep.show import restore_document, show_restored

    target = os.path.realpath(os.fsencode(args.to))
    if not os.path.isdir(target):
        raise UnusableInput(f"there is no folder {visible(args.to)}", "name one that is there, or make it")
    with env.progress(args) as progress:
        report = restore(
            os.path.abspath(os.fsencode(args.package)), target,
            outside_back=args.outside_media_back, special_modes=args.special_modes, break_lock=args.break_lock,
            progress=progress,
        )  # fmt: skip
    env.answer(args, {"command": "restore", **restore_document(report)}, lambda page: show_restored(page, report))
    return env.tell_problems(args, report.problems)
