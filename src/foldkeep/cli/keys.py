"""Keys of machines, by which what they sign is known."""

import argparse

from .environment import Environment, ExitStatus
from .options import Option, Takes

KEYS = (
    Option("--machine-key", "print the key by which other machines know what this one signs, and nothing else"),
    Option("--learn-key", "believe what the machine signs whose key is in this file", Takes.FILE, "FILE", rare=True),
    Option("--forget-key", "believe no more what a machine signs", Takes.WORD, "MACHINE", rare=True),
)


def tell_keys(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Learn or forget keys of other machines, and tell this one's."""
    from foldkeep.formats.signed import make_key, public_key, read_public_line
    from foldkeep.model import UnusableInput, visible
    from foldkeep.show.answers.places import KeysAnswer
    from foldkeep.stock import Stock

    with Stock.open(env.stock_path(args), create=True) as stock, stock.hold("vouch"):
        if args.learn_key:
            learned = read_public_line(args.learn_key)
            known = stock.machine.key_of(learned.machine.id)
            if known is not None and known != learned.key:
                raise UnusableInput(
                    f"{learned.machine.name} has another key than before: it was set up anew, or somebody pretends",
                    f"ask there; then: foldkeep vouch --forget-key {learned.machine.name}, and learn it again",
                )
            if learned.machine.id == stock.machine.get().id:
                raise UnusableInput("that is the key of this machine itself", "learn that of another one")
            with stock.transaction():
                stock.machine.learn(learned.machine, learned.key)
        if args.forget_key:
            found = [machine for machine in stock.machine.learned() if args.forget_key in (machine.name, machine.id)]
            if len(found) != 1:
                names = ", ".join(machine.name for machine in stock.machine.learned()) or "none yet"
                raise UnusableInput(f"no key of {visible(args.forget_key)} is known", f"there are: {names}")
            with stock.transaction():
                stock.machine.forget(found[0].id)
        own = public_key(make_key(f"{stock.path}.key"), stock.machine.get()) if args.machine_key else None
        env.answer(args, KeysAnswer(own.line if own else "", stock.machine.get(), stock.machine.learned()))
    return ExitStatus.DONE
