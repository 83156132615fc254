"""Carry out a docket (a list of proposals): fold the spares away.

Without a name the newest docket that waits is taken, after a question that says
which it is; a script has to name it.

Every spare is read again and compared with its keeper, byte for byte, before
anything is done to it. The fold is the folder .foldkeep at the top of the
place, on the same volume, so nothing is copied and nothing is deleted:
`foldkeep unfold` brings everything back, and only `foldkeep release` frees the
space. A spare's companions (sidecars, the JPEG of a raw file) go along if the
keeper has the same; a sidecar that the keeper lacks moves beside it.

Keywords, rating, title and description found only on a spare, in its sidecar or
in a remembered catalogue, are added to an XMP sidecar of the keeper; the earlier
sidecar goes into the fold. Where both have a value, the keeper's stays, and the
difference is reported.

A file whose set keeps no copy of it, but something that looks or sounds like it,
goes only with --allow-alike: then likeness is measured again, and what only that
file has is listed.

What lies on a server is read there, too; its fold lies at the top of its place
on the server, and the move into it is the server's own.

methods:
  fold        move spares into the fold of their place (the default)
  move        move spares into the folder --to, keeping their folders
  bin         move spares into the desktop's bin; only the desktop restores them
  hard-link   fold spares, and leave a hard link to the keeper in their place
  symlink     fold spares, and leave a symbolic link to the keeper
  clone       fold spares, and leave a copy-on-write clone of the keeper
  delete      delete spares at once, for good; needs --for-good and --yes
  copy        copy the rows marked copy into the folder --to, which lies in a
              place; nothing goes, and unfold takes unchanged copies away again
  heal        put a good copy in the place of what fixity found damaged; the
              damaged file goes into the fold
"""

import argparse
import shlex
from typing import TYPE_CHECKING

from foldkeep.model import Method

from ..dockets import MOST_FOLDERS, docket_in_use, register_of, tell_docket, tell_none
from ..environment import Environment, ExitStatus
from ..options import (
    BREAK_LOCK,
    PROJECTS,
    READING,
    Option,
    Takes,
    projects_of,
    recipes_of,
    remembered_and_named,
)
from ..reading import read_vouchers

if TYPE_CHECKING:
    from foldkeep.fold import Plan
    from foldkeep.keep.register import DocketRegister, MadeDocket
    from foldkeep.model import DocketRow, UnusableInput
    from foldkeep.show.page import Page
    from foldkeep.stock import Stock

    from ..dockets import ChosenDocket

EXAMPLES = """\
examples:
  foldkeep fold
  foldkeep fold docket.csv --yes --method move --to /media/spares
  foldkeep fold missing.csv --method copy --to /media/backup
"""

_METHODS = tuple(str(method) for method in Method if method.is_for_dockets)


OPTIONS = (
    Option(
        "docket",
        "a docket's number or file, perhaps changed by you (else the newest that waits)",
        Takes.DOCKET,
        "DOCKET",
        optional=True,
    ),
    Option("--yes", "go ahead without asking; the docket has to be named", short="-y"),
    Option("--details", f"before the question, show all folders from which files go (else the first {MOST_FOLDERS})"),
    Option("--method", "what to do with the spares, see above", Takes.WORD, choices=_METHODS, default="fold"),
    Option(
        "--to",
        "for the methods move and copy: an existing folder, also on a server",
        Takes.FOLDER,
        "DIR",
        former=("--into",),
    ),
    Option(
        "--below", "for the method copy: keep the folders below this one (else below the place)", Takes.FOLDER, "DIR"
    ),
    Option("--keep-empty-folders", "keep folders that become empty", rare=True),
    Option("--superseded", "carry out a docket though a later one took its place", rare=True),
    Option("--allow-last-copy", "allow sets with no keeper", rare=True),
    Option("--allow-alike", "also rows that only look or sound like their keeper; that is measured again", rare=True),
    Option(
        "--trust-server-digest",
        "of what lies on a server take a strong digest that the server states then and there, instead of reading it",
        rare=True,
    ),
    Option(
        "--vouchers",
        "of keepers on other machines believe what these vouch for, see foldkeep vouch",
        Takes.FILE,
        "FILE",
        several=True,
    ),
    Option("--for-good", "for the method delete: confirm that nothing can be brought back", rare=True),
    Option("--catalog", "also use metadata of this catalogue", Takes.CATALOG, "NAME|SOURCE", several=True),
    Option("--leave-sidecars", "add no metadata to sidecars of keepers", rare=True),
    *PROJECTS,
    *READING,
    BREAK_LOCK,
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Check, show, ask, fold."""
    from foldkeep.find.catalogs import descriptions
    from foldkeep.fold import FoldReport, check_plan, fold, settle_all
    from foldkeep.keep import current_rows, docket_digest, read_docket
    from foldkeep.model import UnusableInput
    from foldkeep.show.answers.fold import FoldAnswer, goes_away, plan_words, write_plan
    from foldkeep.stock import Stock

    method = Method(args.method)
    into = _into(args, method)
    litter = env.settings(args).settings.litter
    if args.leave_sidecars and args.catalog:
        raise UnusableInput("--catalog tells what to write into sidecars", "leave it or --leave-sidecars out")
    if not args.docket and (args.yes or not env.stdin.isatty()):
        raise _unnamed(args, env)
    chosen = docket_in_use(args, env, to_fold=True, superseded=args.superseded)
    if chosen is None:
        return tell_none(args, env, FoldAnswer(FoldReport(method=method)))
    path = chosen.path
    rows = read_docket(path)
    docket = docket_digest(rows)
    tell_docket(args, env, chosen)
    register = register_of(args, env)
    made = chosen.made or _of_sheet(args, env, register, path, rows)
    about_sheets = _about_sheets(args, env, register, chosen)
    if args.yes and about_sheets:
        env.stderr.write(f"{about_sheets}\n")
    with Stock.open(env.stock_path(args)) as stock, stock.hold("fold"), env.servers(stock):
        env.follow_drives(stock)
        settle_all(stock)  # what a killed run finishes now is not planned, or asked for, a second time
        rows = current_rows(stock, rows)
        plan = _plan(args, env, stock, rows, method, into, docket, path)
        described = None
        if not (args.leave_sidecars or method.adds):
            described = descriptions(stock, remembered_and_named(args, stock)) if plan.items else {}
        plan = check_plan(stock, plan, keeps_folders=args.keep_empty_folders, litter=litter, described=described)
        going = sum(goes_away(item, method) for item in plan.items)
        only_alike = sum(item.alike is not None for item in plan.going)
        words = f", {only_alike:,} of them only alike what stays" if only_alike else ""
        most = None if args.details else MOST_FOLDERS
        question = f"{_QUESTIONS[method]} {going:,} {'file' if going == 1 else 'files'}{words}?"

        def show(page: "Page") -> None:
            write_plan(page, plan, most)
            if method is Method.FOLD:
                page.line(f"{plan_words(plan)}.")
            if about_sheets:
                page.line((about_sheets, "bold"))

        if going and not env.confirm(args, question, show):
            return ExitStatus.DONE
        made = register.begin(made) if made and going else made
        with env.progress(args) as progress:
            report = (
                fold(stock, plan, progress, keep_empty_folders=args.keep_empty_folders, break_lock=args.break_lock)
                if plan.items
                else FoldReport(method=method)
            )
        waiting = _waiting(stock, report.run) if report.run is not None else (0, 0)
    name = chosen.made.name if chosen.made else shlex.quote(path)
    lesson = _lesson(register.proposal_path(made), path, rows, env.line(args, "keep", "--learn", name)) if made else ""
    if made and report.run is not None:
        register.end(made, report.run, len(report.left))
    sets = len({item.row.set for item in plan.spares if not item.refusal})
    env.answer(args, FoldAnswer(report, lesson, sets, waiting))
    return ExitStatus.PROBLEMS if report.left or report.notes else ExitStatus.DONE


def _waiting(stock: "Stock", run: int) -> tuple[int, int]:
    """Return how many files of a run wait in folds, and their bytes."""
    from foldkeep.model import RunFileState

    files = stock.ledger.files(run, (RunFileState.WAITING,))
    return len(files), sum(file.size for file in files)


def _unnamed(args: argparse.Namespace, env: Environment) -> "UnusableInput":
    """Return the refusal of a command line that names no docket where nobody is asked about the newest."""
    from foldkeep.model import UnusableInput

    chosen = docket_in_use(args, env, to_fold=True)
    name = chosen.name if chosen else "DOCKET"
    return UnusableInput("without a question the docket has to be named", f"as in: {env.line(args, 'fold', name)}")


def _of_sheet(
    args: argparse.Namespace, env: Environment, register: "DocketRegister", path: str, rows: "list[DocketRow]"
) -> "MadeDocket | None":
    """Return the docket of which a sheet was made that this one was saved from; None if it comes from no sheet.

    Raises
    ------
    UnusableInput
        If decisions were made after it, in the docket or on the sheet.
    """
    from foldkeep.model import UnusableInput, visible

    made = register.origin(path)
    if made is None or args.superseded:
        return made
    if later := register.later_save(path):
        raise UnusableInput(f"{visible(path)} is superseded: {visible(later)} was saved later", "fold that one")
    if others := register.differing(made, rows):
        raise UnusableInput(
            f"{made.name} has decisions on {others:,} of its sets that {visible(path)} has not",
            f"make a new sheet: {env.line(args, 'sheet', made.name)}; or say --superseded",
        )
    return made


def _lesson(proposal: str, path: str, rows: "list[DocketRow]", learn: str) -> str:
    """Return what there is to learn from how a person changed a proposal, with the command; empty if nothing."""
    from foldkeep.keep import read_docket
    from foldkeep.keep.lessons import lesson_of_rows
    from foldkeep.keep.register import file_digest
    from foldkeep.model import UnusableInput
    from foldkeep.show.answers.learn import lesson_words

    if proposal == path or file_digest(proposal) == file_digest(path):  # reading its rows takes longer
        return ""
    try:
        return lesson_words(lesson_of_rows(read_docket(proposal), rows), learn)
    except UnusableInput:
        return ""


def _about_sheets(
    args: argparse.Namespace, env: Environment, register: "DocketRegister", chosen: "ChosenDocket"
) -> str:
    """Return what is to be said of sheets that were made of a docket: decisions on them are not in it."""
    if chosen.made is None or not chosen.made.sheets:
        return ""
    from foldkeep.model import visible

    made = chosen.made
    if saved := register.saved_from_sheets(made, env.downloads()):
        return (
            f"Decisions from a sheet of {chosen.name} are in {visible(saved)} and not in {chosen.name};"
            f" to carry those out: {visible(env.line(args, 'fold', saved))}"
        )
    return (
        f"A sheet was made of {chosen.name}; decisions that you saved on it are in a file of their own, and not here."
    )


def _plan(
    args: argparse.Namespace,
    env: Environment,
    stock: "Stock",
    rows: "list[DocketRow]",
    method: Method,
    into: bytes,
    docket: bytes,
    path: str,
) -> "Plan":
    """Return what the rows of a docket come to; what they claim of their files is found out again."""
    from foldkeep.fold import addition_plan, make_plan
    from foldkeep.fold.elsewhere import proofs_for_folding
    from foldkeep.keep.dockets import alike_again, derived_again, essences_again

    places = stock.places.all()
    if method.adds:
        return addition_plan(path, rows, places, method, into, stock.checks.damaged(), _below(args))
    with env.progress(args) as progress:
        derived = derived_again(
            stock, rows, recipes_of(args, env), projects_of(args, env, stock), env.user_cache(), progress
        )
        essences = essences_again(rows, progress)
        asked = [row for row in rows if row.path not in essences]
        alike = alike_again(stock, asked, progress) if args.allow_alike else None
    proofs = proofs_for_folding(stock, read_vouchers(stock, args.vouchers), docket)
    plan = make_plan(
        path, rows, places, method, into,
        allow_last_copy=args.allow_last_copy, derived=derived, alike=alike, essences=essences,
        proofs=proofs,
    )  # fmt: skip
    plan.trusts_server = args.trust_server_digest
    return plan


_QUESTIONS = {
    "fold": "Fold",
    "move": "Move",
    "bin": "Put into the bin",
    "hard-link": "Fold, and put hard links in the place of",
    "symlink": "Fold, and put symbolic links in the place of",
    "clone": "Fold, and put clones in the place of",
    "delete": "Delete for good",
    "copy": "Copy",
    "heal": "Put good copies in the place of",
}


def _below(args: argparse.Namespace) -> bytes:
    import os

    from foldkeep.storage.local.drives import real_path

    return real_path(os.fsencode(args.below)) if args.below else b""


def _into(args: argparse.Namespace, method: Method) -> bytes:
    """Return the folder to move or copy to, after checking that what belongs to a method is given with it."""
    import os

    from foldkeep.model import UnusableInput, visible
    from foldkeep.model.names import lies_in_a_fold
    from foldkeep.model.remote import is_remote
    from foldkeep.storage.local.drives import real_path

    if method is Method.DELETE and not (args.for_good and "--yes" in args.words):
        raise UnusableInput(
            "--method delete cannot be taken back", "say --for-good and --yes as well, or use --method fold"
        )
    if (method in (Method.MOVE, Method.COPY)) != bool(args.to):
        needing = method if method in (Method.MOVE, Method.COPY) else Method.MOVE
        raise UnusableInput(
            f"--method {needing} and --to DIR go together",
            f"name both, as in: --method {needing} --to /media/spares",
        )
    if args.below and method is not Method.COPY:
        raise UnusableInput("--below goes with --method copy", "leave it out")
    if not args.to:
        return b""
    folder = real_path(os.fsencode(args.to))
    if is_remote(folder) and not lies_in_a_fold(folder):
        return folder
    if not os.path.isdir(folder) or lies_in_a_fold(folder):
        raise UnusableInput(
            f"cannot {method} anything into {visible(args.to)}",
            "name an existing folder (on a drive that is connected), outside every fold",
        )
    return folder
