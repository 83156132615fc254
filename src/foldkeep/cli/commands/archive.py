"""Pack a finished project into a package that anyone can verify, years later.

A package is a BagIt 1.0 bag (RFC 8493): the files, manifests with their
SHA-512, and a listing that tells their names, modes, times and links. What can
be made again is left out, media that the project uses from elsewhere is brought
in. It is written, flushed, read back from the disk and compared; only then it
gets its name, and only then --fold-original puts the project into the fold.

With --split it is several packages, each of which fits on a medium and passes
by itself; --format iso makes images of discs, ready for any burner.

  archive PROJECT… --to DIR    make packages
  archive --docket FILE …      of the projects in a docket of `foldkeep projects`
  archive --check PACKAGE…     read packages and name every file that differs
"""

import argparse
from typing import TYPE_CHECKING

from foldkeep.model.packages import FORMATS

from ..environment import Environment, ExitStatus
from ..options import BREAK_LOCK, PROJECTS, Option, Takes, projects_of, recipes_of

if TYPE_CHECKING:
    from foldkeep.archive import ArchiveReport, Packing
    from foldkeep.find.projects import Lending, Project
    from foldkeep.fold import FoldReport
    from foldkeep.formats.packages import Package
    from foldkeep.scan.packages import Checked, Whole
    from foldkeep.stock import Stock

EXAMPLES = """\
examples:
  foldkeep archive --docket projects.csv --to /media/shelf
  foldkeep archive ~/Videos/highlights --to ~/discs --format iso --split 25GB
  foldkeep archive --check /media/shelf/highlights.tar
"""


OPTIONS = (
    Option(
        "what", "folders of projects; packages to check", Takes.FOLDER, "PROJECT|PACKAGE", several=True, optional=True
    ),
    Option("--to", "where to write packages: an existing folder, also on a server", Takes.FOLDER, "DIR"),
    Option(
        "--format",
        "of packages (default: folder)",
        Takes.WORD,
        choices=FORMATS,
        default="folder",
    ),
    Option(
        "--assemble-in",
        "where packages for a server are put together first (default: beside the stock)",
        Takes.FOLDER,
        "DIR",
        rare=True,
    ),
    Option("--split", "split into packages of at most this size (25GB for discs)", Takes.SIZE, "SIZE"),
    Option("--sha256", "also write a manifest of SHA-256", rare=True),
    Option("--with-generated", "include regenerable files"),
    Option("--without-outside-media", "leave out media from outside the project", rare=True),
    Option("--fold-original", "then fold the project, which `unfold` undoes"),
    Option("--although-used", "with --fold-original: also fold files that others use", rare=True),
    Option("--start-over", "start an interrupted package anew", rare=True),
    Option("--docket", "archive the projects in a docket of `foldkeep projects -o`", Takes.FILE, "FILE"),
    Option("--check", "read packages and compare every file"),
    Option("--yes", "go ahead without asking", short="-y"),
    *PROJECTS,
    BREAK_LOCK,
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Plan, show, ask, make; or check."""
    import os

    from foldkeep.archive import check_server_folder
    from foldkeep.model import UnusableInput, visible
    from foldkeep.model.remote import is_remote
    from foldkeep.show.answers.archive import ArchiveAnswer, write_packings
    from foldkeep.stock import Stock
    from foldkeep.storage.local.drives import real_path

    if args.check:
        return _check(args, env)
    if not args.to or bool(args.what) == bool(args.docket):
        raise UnusableInput(
            "it is not clear what is to be archived, and where", "name a project, or a --docket, and --to DIR"
        )
    target = real_path(os.fsencode(args.to))
    if args.assemble_in and not is_remote(target):
        raise UnusableInput("--assemble-in is for packages that go to a server", "leave it out")
    if not is_remote(target) and not os.path.isdir(target):
        raise UnusableInput(f"there is no folder {visible(args.to)}", "name one that is there, or make it")
    with Stock.open(env.stock_path(args)) as stock, stock.hold("archive"), env.servers(stock, [args.to]):
        if is_remote(target):
            check_server_folder(target)
        env.follow_drives(stock)
        work = _work(args, env, stock, target)
        folds = any(lent is not None for *_, lent in work)
        question = f"Archive {len(work):,} {'project' if len(work) == 1 else 'projects'}" + (
            ", and fold the originals?" if folds else "?"
        )
        asks = work and (args.docket or folds)
        if asks and not env.confirm(args, question, lambda page: write_packings(page, work, target)):
            return ExitStatus.DONE
        reports = [_archive(args, env, stock, target, packing, lent) for _, packing, lent in work]
    env.answer(args, ArchiveAnswer(reports))
    packages = [visible(package.path) for report, _ in reports for package in report.packages]
    if packages:
        env.next(args, "archive", "--check", packages[0])
    problems = [problem for project, _, _ in work for problem in project.problems]
    problems += [problem for report, _ in reports for problem in report.problems]
    left = [problem for _, folded in reports if folded for problem in folded.left]
    return env.tell_problems(args, [*problems, *left])


def _work(
    args: argparse.Namespace, env: Environment, stock: "Stock", target: bytes
) -> "list[tuple[Project, Packing, Lending | None]]":
    """Return what is to be archived; if it is to be folded then, with what others use of it."""
    from foldkeep.archive import plan_packing
    from foldkeep.find.projects import Lending, lending, projects
    from foldkeep.find.references import UsesOfAll
    from foldkeep.model import UnusableInput, visible
    from foldkeep.model.names import lies_below
    from foldkeep.signals import Measures
    from foldkeep.storage import storage_at

    folders = projects_of(args, env, stock)
    with env.progress(args) as progress:
        known = {
            each.path: each
            for each in projects(stock, recipes_of(args, env), folders, measures=Measures(stock, progress=progress))
        }
    folder = _assembling_folder(args, env, target)
    plain = args.format == "folder" and storage_at(folder).limits_of(folder).has_plain_names
    named = _named(args)
    used = UsesOfAll(stock, folders, (path for each, _ in named if each in known for path in known[each].generated))
    work = []
    for path, fold in named:
        project = known.get(path)
        if project is None:
            raise UnusableInput(
                f"{visible(path)} is no project that is known",
                "scan it; --project-marker and --inside tell what makes a project (see `foldkeep projects`)",
            )
        if target == path or lies_below(target, path):
            raise UnusableInput(f"{visible(target)} lies in the project itself", "name a folder elsewhere")
        packing = plan_packing(
            project,
            used,
            outside_media=not args.without_outside_media,
            generated=args.with_generated,
            for_disc=args.format == "iso",
            plain=plain,
        )
        lent = Lending() if args.although_used else lending(stock, project, known.values(), folders)
        work.append((project, packing, lent if fold else None))
    return work


def _named(args: argparse.Namespace) -> list[tuple[bytes, bool]]:
    import os

    from foldkeep.keep import read_docket
    from foldkeep.keep.dockets import PROJECT_FOLDER
    from foldkeep.model import Action, UnusableInput, visible
    from foldkeep.storage.local.drives import real_path

    if not args.docket:
        return [(real_path(os.fsencode(path)), args.fold_original) for path in args.what]
    rows = read_docket(args.docket)
    if any(row.kind != PROJECT_FOLDER for row in rows):
        raise UnusableInput(
            f"{visible(args.docket)} is no docket of projects", "make one with: foldkeep projects -o docket.csv"
        )
    return [(row.path, args.fold_original or row.action is Action.FOLD) for row in rows
            if row.action is not Action.LEAVE]  # fmt: skip


def _archive(
    args: argparse.Namespace,
    env: Environment,
    stock: "Stock",
    target: bytes,
    packing: "Packing",
    lent: "Lending | None",
) -> "tuple[ArchiveReport, FoldReport | None]":
    from functools import partial

    from foldkeep.archive import archive, fold_original, ship

    folder = _assembling_folder(args, env, target)
    with env.progress(args) as progress:
        report = archive(
            stock, packing, folder, args.format, split=args.split, sha256=args.sha256, start_over=args.start_over,
            ship=None if folder == target else partial(ship, target=target, progress=progress), progress=progress,
        )  # fmt: skip
        if lent is None:
            return report, None
        return report, fold_original(stock, packing, report, lent, progress, break_lock=args.break_lock)


def _assembling_folder(args: argparse.Namespace, env: Environment, target: bytes) -> bytes:
    """Return where packages are written: the target, or, of one on a server, a folder of this machine."""
    import os

    from foldkeep.model import UnusableInput, visible
    from foldkeep.model.remote import is_remote
    from foldkeep.storage.local.drives import real_path

    if not is_remote(target):
        return target
    if args.assemble_in:
        if not os.path.isdir(args.assemble_in):
            raise UnusableInput(f"there is no folder {visible(args.assemble_in)}", "name one that is there, or make it")
        return real_path(os.fsencode(args.assemble_in))
    folder = os.path.join(os.path.dirname(env.stock_path(args)), "packages for servers")
    os.makedirs(folder, exist_ok=True)
    return real_path(os.fsencode(folder))


def _check(args: argparse.Namespace, env: Environment) -> ExitStatus:
    import os
    import time

    from foldkeep.archive import packages_here
    from foldkeep.model import UnusableInput
    from foldkeep.model.remote import is_address, remote_path
    from foldkeep.scan.packages import check_package
    from foldkeep.show.answers.archive import CheckAnswer
    from foldkeep.stock import Stock

    if not args.what or args.docket or args.to:
        raise UnusableInput("--check reads packages", "name one or more, and nothing else")
    with env.progress(args) as progress:
        remember = _remembering(args, env)
        paths = [remote_path(path) if is_address(path) else os.path.abspath(os.fsencode(path)) for path in args.what]
        with env.servers(None, args.what), packages_here(paths, progress) as here:
            found = [
                check_package(read, progress, remember, known_as=path) for path, read in zip(paths, here, strict=True)
            ]
    damaged = [each.path for each in found if each.files and not each.is_whole]
    if damaged and remember is not None:
        with Stock.open(env.stock_path(args)) as stock, stock.hold("archive"), stock.transaction():
            for package in damaged:
                stock.archives.found_damaged(package, time.time_ns())
    env.answer(args, CheckAnswer(found))
    return ExitStatus.DONE if all(each.is_whole for each in found) else ExitStatus.PROBLEMS


def _remembering(args: argparse.Namespace, env: Environment) -> "Whole | None":
    """Return what notes that a package was read and is whole, and what is in it; nothing where there is no stock."""
    import os

    from foldkeep.scan.packages import remember_package
    from foldkeep.stock import Stock

    path = env.stock_path(args)
    if not os.path.exists(path):
        return None

    def remember(package: "Package", checked: "Checked") -> None:
        with Stock.open(path) as stock, stock.hold("archive"):
            remember_package(stock, package, checked)

    return remember
