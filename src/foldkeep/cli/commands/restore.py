"""Bring an archived project back.

Every file is compared with the package's manifests while it is written, and
nothing is brought back if one is not what it should be. Nothing is overwritten:
the project gets a free name in DIR. Digests, modes, times, owners, attributes,
links and holes are as they were, where the system and your rights allow it.

Media from outside the project gets a folder beside it. With
--outside-media-back it goes where it came from, after you have seen where that
is: only below places that are known, and folders that you name with
--back-under. Of a package that was split, name all parts at once.
"""

import argparse
from typing import TYPE_CHECKING

from ..environment import Environment, ExitStatus
from ..options import BREAK_LOCK, Option, Takes

if TYPE_CHECKING:
    from foldkeep.archive import Restoration

EXAMPLES = """\
examples:
  foldkeep restore /media/shelf/highlights --to ~/Videos
  foldkeep restore highlights.tar --to ~/Videos --outside-media-back
  foldkeep restore disc-1/highlights* disc-2/highlights* --to ~/Videos
"""


OPTIONS = (
    Option(
        "package",
        "a package that `foldkeep archive` made, or any bag; or its parts",
        Takes.PACKAGE,
        "PACKAGE",
        several=True,
    ),
    Option("--to", "an existing folder", Takes.FOLDER, "DIR", required=True),
    Option("--outside-media-back", "put outside media back where it came from"),
    Option("--back-under", "with that: also allow this folder", Takes.FOLDER, "DIR", several=True, rare=True),
    Option("--special-modes", "also restore setuid, setgid and sticky bits", rare=True),
    Option("--without-parts", "restore what is in these parts of a package", rare=True),
    Option("--yes", "go ahead without asking", short="-y"),
    BREAK_LOCK,
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Look, show, ask, write, tell."""
    import os
    from contextlib import ExitStack

    from foldkeep.archive import open_restoration, packages_here
    from foldkeep.model import UnusableInput, visible
    from foldkeep.model.remote import is_address, is_remote, remote_path
    from foldkeep.storage.local.drives import real_path

    target = real_path(os.fsencode(args.to))
    if is_remote(target):
        raise UnusableInput("projects are restored to this machine", "name a folder here, and copy it on from there")
    if not os.path.isdir(target):
        raise UnusableInput(f"there is no folder {visible(args.to)}", "name one that is there, or make it")
    if args.back_under and not args.outside_media_back:
        raise UnusableInput("--back-under is about media that goes back", "add --outside-media-back")
    named = [remote_path(path) if is_address(path) else os.path.abspath(os.fsencode(path)) for path in args.package]
    back_below = _back_below(args, env) if args.outside_media_back else None
    with ExitStack() as stack:
        with env.progress(args) as progress, env.servers(None, args.package):
            paths = stack.enter_context(packages_here(named, progress))
            opened = open_restoration(
                paths, target, special_modes=args.special_modes, back_below=back_below,
                without_parts=args.without_parts, progress=progress,
            )  # fmt: skip
            restoration = stack.enter_context(opened)
        return _carry_out(args, env, restoration)


def _carry_out(args: argparse.Namespace, env: Environment, restoration: "Restoration") -> ExitStatus:
    from foldkeep.show.answers.restore import IncompleteAnswer, RestoreAnswer, write_refused_names, write_returns

    if restoration.missing:
        env.answer(args, IncompleteAnswer(restoration))
        return env.tell_problems(args, restoration.missing)
    if restoration.refused and not args.quiet:
        write_refused_names(env.page(args, env.stderr), restoration)
    question = "Restore the project, and put these files there?"
    if restoration.returns and not env.confirm(args, question, lambda page: write_returns(page, restoration)):
        return ExitStatus.DONE
    with env.progress(args) as progress:
        report = restoration.carry_out(progress, break_lock=args.break_lock)
    env.answer(args, RestoreAnswer(report))
    return env.tell_problems(args, report.problems)


def _back_below(args: argparse.Namespace, env: Environment) -> dict[bytes, bytes]:
    """Return the folders below which media may go, with the place of each: the places that are known, those named."""
    import os

    from foldkeep.model import UnusableInput, visible
    from foldkeep.model.names import innermost
    from foldkeep.stock import Stock
    from foldkeep.storage.local.drives import real_path

    found: dict[bytes, bytes] = {}
    path = env.stock_path(args)
    if os.path.exists(path):
        with Stock.open(path) as stock:
            found = {place.path: place.path for place in stock.places.all()}
    for name in args.back_under:
        folder = real_path(os.fsencode(name))
        if not os.path.isdir(folder):
            raise UnusableInput(f"there is no folder {visible(name)}", "name one that is there, or make it")
        found[folder] = innermost(found, folder, itself=True) or folder
    return found
