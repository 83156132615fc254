"""Carry out a docket: fold the spares away.

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
  move        move spares into the folder --into, keeping their folders
  bin         move spares into the desktop's bin; only the desktop restores them
  hard-link   fold spares, and leave a hard link to the keeper in their place
  symlink     fold spares, and leave a symbolic link to the keeper
  clone       fold spares, and leave a copy-on-write clone of the keeper
  delete      delete spares at once, for good; needs --for-good and --yes
  copy        copy the rows marked copy into the folder --into, which lies in a
              place; nothing goes, and unfold takes unchanged copies away again
  heal        put a good copy in the place of what fixity found damaged; the
              damaged file goes into the fold
"""

import argparse
from typing import TYPE_CHECKING

from foldkeep.model import Method

from ..environment import Environment, ExitStatus
from ..options import BREAK_LOCK, PROJECTS, READING, Option, Takes, projects_of, recipes_of, remembered_and_named
from ..reading import read_vouchers

if TYPE_CHECKING:
    from foldkeep.fold import Plan
    from foldkeep.model import DocketRow
    from foldkeep.stock import Stock

EXAMPLES = """\
examples:
  foldkeep fold docket.csv
  foldkeep fold docket.csv --yes --method move --into /media/spares
  foldkeep fold missing.csv --method copy --into /media/backup
"""

_MOST_FOLDERS = 10
_METHODS = tuple(str(method) for method in Method if method.is_for_dockets)


OPTIONS = (
    Option("docket", "a file that a finder wrote, perhaps changed by you", Takes.DOCKET, "DOCKET"),
    Option("--yes", "go ahead without asking"),
    Option("--details", f"before the question, show all folders from which files go (else the first {_MOST_FOLDERS})"),
    Option("--method", "what to do with the spares, see above", Takes.WORD, choices=_METHODS, default="fold"),
    Option("--into", "for the methods move and copy: an existing folder, also on a server", Takes.FOLDER, "DIR"),
    Option(
        "--below", "for the method copy: keep the folders below this one (else below the place)", Takes.FOLDER, "DIR"
    ),
    Option("--keep-empty-folders", "keep folders that become empty", rare=True),
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
    from foldkeep.fold import FoldReport, check_plan, fold
    from foldkeep.keep import current_rows, docket_digest, read_docket
    from foldkeep.model import UnusableInput
    from foldkeep.show.answers.fold import FoldAnswer, write_plan
    from foldkeep.stock import Stock

    method = Method(args.method)
    into = _into(args, method)
    litter = env.settings(args).settings.litter
    rows = read_docket(args.docket)
    docket = docket_digest(rows)
    if args.leave_sidecars and args.catalog:
        raise UnusableInput("--catalog tells what to write into sidecars", "leave it or --leave-sidecars out")
    with Stock.open(env.stock_path(args)) as stock, stock.hold("fold"), env.servers(stock):
        env.follow_drives(stock)
        rows = current_rows(stock, rows)
        plan = _plan(args, env, stock, rows, method, into, docket)
        described = None
        if not (args.leave_sidecars or method.adds):
            described = descriptions(stock, remembered_and_named(args, stock)) if plan.items else {}
        plan = check_plan(stock, plan, keeps_folders=args.keep_empty_folders, litter=litter, described=described)
        going = sum(not item.refusal for item in plan.going)
        only_alike = sum(item.alike is not None for item in plan.going)
        words = f", {only_alike:,} of them only alike what stays" if only_alike else ""
        most = None if args.details else _MOST_FOLDERS
        question = f"{_QUESTIONS[method]} {going:,} {'file' if going == 1 else 'files'}{words}?"
        if going and not env.confirm(args, question, lambda page: write_plan(page, plan, most)):
            return ExitStatus.DONE
        with env.progress(args) as progress:
            report = (
                fold(stock, plan, progress, keep_empty_folders=args.keep_empty_folders, break_lock=args.break_lock)
                if plan.items
                else FoldReport(method=method)
            )
    env.answer(args, FoldAnswer(report))
    return ExitStatus.PROBLEMS if report.left or report.notes else ExitStatus.DONE


def _plan(
    args: argparse.Namespace,
    env: Environment,
    stock: "Stock",
    rows: "list[DocketRow]",
    method: Method,
    into: bytes,
    docket: bytes,
) -> "Plan":
    """Return what the rows of a docket come to; what they claim of their files is found out again."""
    from foldkeep.fold import addition_plan, make_plan
    from foldkeep.fold.elsewhere import proofs_for_folding
    from foldkeep.keep.dockets import alike_again, derived_again, essences_again

    places = stock.places.all()
    if method.adds:
        return addition_plan(args.docket, rows, places, method, into, stock.checks.damaged(), _below(args))
    with env.progress(args) as progress:
        derived = derived_again(
            stock, rows, recipes_of(args, env), projects_of(args, env, stock), env.user_cache(), progress
        )
        essences = essences_again(rows, progress)
        asked = [row for row in rows if row.path not in essences]
        alike = alike_again(stock, asked, progress) if args.allow_alike else None
    proofs = proofs_for_folding(stock, read_vouchers(stock, args.vouchers), docket)
    plan = make_plan(
        args.docket, rows, places, method, into,
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

    if method is Method.DELETE and not (args.for_good and args.yes):
        raise UnusableInput(
            "--method delete cannot be taken back", "say --for-good and --yes as well, or use --method fold"
        )
    if (method in (Method.MOVE, Method.COPY)) != bool(args.into):
        needing = method if method in (Method.MOVE, Method.COPY) else Method.MOVE
        raise UnusableInput(
            f"--method {needing} and --into DIR go together",
            f"name both, as in: --method {needing} --into /media/spares",
        )
    if args.below and method is not Method.COPY:
        raise UnusableInput("--below goes with --method copy", "leave it out")
    if not args.into:
        return b""
    folder = real_path(os.fsencode(args.into))
    if is_remote(folder) and not lies_in_a_fold(folder):
        return folder
    if not os.path.isdir(folder) or lies_in_a_fold(folder):
        raise UnusableInput(
            f"cannot {method} anything into {visible(args.into)}",
            "name an existing folder (on a drive that is connected), outside every fold",
        )
    return folder
