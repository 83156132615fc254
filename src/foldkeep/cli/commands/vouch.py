"""Vouch for keepers on this machine, so that another one can fold its copies of them.

`keep --inventory` writes a docket for each machine. Where all that stays of a
set is here, take the other machine's docket, and vouch: each keeper in it that
is on this machine is read now, whole, protected, and told of in a file that is
signed with this machine's key. The other machine hands that file to `fold
--vouchers` within a day. Before it releases anything, it asks again, with a
number (--number): what is signed then counts for an hour.

What is vouched for is protected: `fold` leaves it, whatever stock it comes with,
until you end that. Without arguments, lists what is protected.
"""

import argparse
from typing import TYPE_CHECKING

from ..environment import Environment, ExitStatus
from ..keys import KEYS, tell_keys
from ..options import BREAK_LOCK, Option, Takes

if TYPE_CHECKING:
    from foldkeep.stock import Stock

EXAMPLES = """\
examples:
  foldkeep vouch edit-02.csv -o edit-02.voucher
  foldkeep vouch
  foldkeep vouch --end edit-02.csv
"""

OPTIONS = (
    Option("docket", "the other machine's docket", Takes.DOCKET, "DOCKET", optional=True),
    Option("-o", "where to write the voucher", Takes.FILE, "FILE", to="voucher"),
    Option("--number", "the number that the other machine's release asks to sign", Takes.WORD, "NUMBER"),
    Option("--end", "protect the keepers of this docket no more", Takes.DOCKET, "DOCKET"),
    Option("--yes", "go ahead without asking", short="-y"),
    *KEYS,
    BREAK_LOCK,
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Vouch, end, or list."""
    from foldkeep.model import UnusableInput
    from foldkeep.stock import Stock

    if args.end and (args.docket or args.voucher or args.number):
        raise UnusableInput("--end stands alone", "leave out what else is said")
    if args.machine_key or args.learn_key or args.forget_key:
        return tell_keys(args, env)
    with Stock.open(env.stock_path(args)) as stock, stock.hold("vouch"):
        env.follow_drives(stock)
        if args.end:
            return _end(args, env, stock)
        return _vouch(args, env, stock) if args.docket else _list(args, env, stock)


def _vouch(args: argparse.Namespace, env: Environment, stock: "Stock") -> ExitStatus:
    from foldkeep.fold.elsewhere import vouch
    from foldkeep.formats.signed import make_key, write_voucher
    from foldkeep.keep import docket_digest, read_docket
    from foldkeep.model import UnusableInput
    from foldkeep.model.vouchers import NUMBER_BYTES
    from foldkeep.show.answers.vouch import VouchAnswer

    if not args.voucher:
        raise UnusableInput("no voucher is named", "say where to write it: -o FILE")
    try:
        number = bytes.fromhex(args.number or "")
        if args.number and len(number) != NUMBER_BYTES:
            raise ValueError
    except ValueError:
        raise UnusableInput(
            "that is no number of a release", "copy it whole from what the other machine says"
        ) from None
    rows = read_docket(args.docket)
    key = make_key(f"{stock.path}.key")
    with env.progress(args) as progress:
        found = vouch(stock, rows, docket_digest(rows), number, progress)
    written = write_voucher(args.voucher, found.voucher, key) if found.voucher.files else ""
    env.answer(args, VouchAnswer(found.voucher, written, found.left))
    return ExitStatus.PROBLEMS if found.left else ExitStatus.DONE


def _list(args: argparse.Namespace, env: Environment, stock: "Stock") -> ExitStatus:
    from foldkeep.fold.elsewhere import protected
    from foldkeep.model import UnusableInput
    from foldkeep.show.answers.vouch import ProtectedAnswer

    if args.voucher or args.number:
        raise UnusableInput("no docket is named", "name the other machine's")
    found, problems = protected(stock)
    env.answer(args, ProtectedAnswer(found))
    return env.tell_problems(args, problems)


def _end(args: argparse.Namespace, env: Environment, stock: "Stock") -> ExitStatus:
    from foldkeep.fold.elsewhere import end_protection, protected
    from foldkeep.keep import docket_digest, read_docket
    from foldkeep.model import UnusableInput, visible
    from foldkeep.show.answers.vouch import ProtectedAnswer

    docket = docket_digest(read_docket(args.end))
    found, problems = protected(stock)
    chosen = [each for each in found if each.docket == docket]
    if not chosen:
        raise UnusableInput(f"nothing is protected for {visible(args.end)}", "foldkeep vouch lists what is")
    files = sum(len(each.paths) for each in chosen)
    question = (
        f"Protect {files:,} {'file' if files == 1 else 'files'} no more? If the other machine has released its copies,"
        " these may be the last."
    )
    if not env.confirm(args, question, lambda page: ProtectedAnswer(chosen).write(page)):
        return ExitStatus.DONE
    end_protection(stock, chosen, break_lock=args.break_lock)
    env.answer(args, ProtectedAnswer(protected(stock)[0]))
    return env.tell_problems(args, problems)
