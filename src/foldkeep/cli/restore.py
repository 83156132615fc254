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

from .environment import Environment, ExitStatus
from .parser import add_break_lock

if TYPE_CHECKING:
    from foldkeep.archive import Restoration

EXAMPLES = """\
examples:
  foldkeep restore /media/shelf/highlights --to ~/Videos
  foldkeep restore highlights.tar --to ~/Videos --outside-media-back
  foldkeep restore disc-1/highlights* disc-2/highlights* --to ~/Videos
"""


def arrange(parser: argparse.ArgumentParser) -> None:
    """Declare the arguments."""
    parser.add_argument(
        "package", metavar="PACKAGE", nargs="+", help="a package that `foldkeep archive` made, or any bag; or its parts"
    )
    parser.add_argument("--to", metavar="DIR", required=True, help="a folder that is there")
    parser.add_argument(
        "--outside-media-back", action="store_true", help="put media from elsewhere back where it came from"
    )
    parser.add_argument(
        "--back-under", metavar="DIR", action="append", default=[], help="with that: a folder where it may go as well"
    )
    parser.add_argument("--special-modes", action="store_true", help="give setuid, setgid and sticky bits back as well")
    parser.add_argument("--without-parts", action="store_true", help="bring back what is in these parts of a package")
    parser.add_argument("--yes", action="store_true", help="go ahead without asking")
    add_break_lock(parser)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Look, show, ask, write, tell."""
    import os
    from contextlib import ExitStack

    from foldkeep.archive import open_restoration
    from foldkeep.model import UnusableInput, visible
    from foldkeep.storage.local.drives import real_path

    target = real_path(os.fsencode(args.to))
    if not os.path.isdir(target):
        raise UnusableInput(f"there is no folder {visible(args.to)}", "name one that is there, or make it")
    if args.back_under and not args.outside_media_back:
        raise UnusableInput("--back-under is about media that goes back", "add --outside-media-back")
    paths = [os.path.abspath(os.fsencode(path)) for path in args.package]
    back_below = _back_below(args, env) if args.outside_media_back else None
    with ExitStack() as stack:
        with env.progress(args) as progress:
            opened = open_restoration(
                paths, target, special_modes=args.special_modes, back_below=back_below,
                without_parts=args.without_parts, progress=progress,
            )  # fmt: skip
            restoration = stack.enter_context(opened)
        return _carry_out(args, env, restoration)


def _carry_out(args: argparse.Namespace, env: Environment, restoration: "Restoration") -> ExitStatus:
    from foldkeep.archive import RestoreReport
    from foldkeep.show import restore_document, show_incomplete, show_refused_names, show_restored, show_returns

    if restoration.missing:
        nothing = RestoreReport(problems=restoration.missing)
        env.answer(args, restore_document(nothing), lambda page: show_incomplete(page, restoration))
        return env.tell_problems(args, restoration.missing)
    if restoration.refused and not args.quiet:
        show_refused_names(env.page(args, env.stderr), restoration)
    question = "Bring it back, and put these files there?"
    if restoration.returns and not env.confirm(args, question, lambda page: show_returns(page, restoration)):
        return ExitStatus.DONE
    with env.progress(args) as progress:
        report = restoration.carry_out(progress, break_lock=args.break_lock)
    env.answer(args, restore_document(report), lambda page: show_restored(page, report))
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
        found[folder] = innermost(found, os.path.join(folder, b"x")) or folder
    return found
