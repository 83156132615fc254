"""What is asked: the stock, or inventories in its place."""

import argparse
from collections.abc import Iterator, Sequence
from contextlib import ExitStack, contextmanager
from typing import TYPE_CHECKING

from .option import Option, Takes

if TYPE_CHECKING:
    from foldkeep.engine import Inventories
    from foldkeep.stock import Stock

    from ..environment import Environment


MEMORY = Option("--memory", "hold at most so much of inventories in memory (4GB)", Takes.SIZE, "SIZE", rare=True)
INVENTORY = (
    Option(
        "--inventory",
        "use this inventory instead of the stock, or all in this folder or that fit this glob; also on a server",
        Takes.INVENTORY,
        "FILE",
        several=True,
    ),
    MEMORY,
)


@contextmanager
def open_source(args: argparse.Namespace, env: "Environment") -> "Iterator[Stock]":
    """Open what is asked: the stock, or inventories in its place."""
    if not args.inventory:
        from foldkeep.stock import Stock

        with Stock.open(env.stock_path(args)) as stock:
            yield stock
        return
    with inventories_here(args, env, args.inventory) as named:
        from foldkeep.engine import listed
        from foldkeep.formats.columns import is_by_columns

        files = listed(named)
        if len(files) == 1 and not is_by_columns(files[0]):
            from foldkeep.find.compare import load_inventory

            with load_inventory(files[0]) as stock:
                yield stock
            return
        with _opened_as_one(args, env, named) as asked:
            yield asked.stock


@contextmanager
def open_many(args: argparse.Namespace, env: "Environment") -> "Iterator[Inventories]":
    """Open inventories as one, and say what of them does not count, or is not known."""
    with inventories_here(args, env, args.inventory) as named, _opened_as_one(args, env, named) as asked:
        yield asked


@contextmanager
def inventories_here(args: argparse.Namespace, env: "Environment", named: Sequence[str]) -> "Iterator[list[str]]":
    """Fetch inventories that are named by their addresses on servers; give names for all, as they are here."""
    from foldkeep.model.remote import is_address

    if not any(map(is_address, named)):
        yield list(named)
        return
    from foldkeep.engine import fetched

    with env.servers(None, named), ExitStack() as opened:
        with env.progress(args) as progress:
            found = opened.enter_context(fetched(named, progress))
        yield found


@contextmanager
def _opened_as_one(args: argparse.Namespace, env: "Environment", named: Sequence[str]) -> "Iterator[Inventories]":
    from foldkeep.engine import open_inventories
    from foldkeep.formats.columns import MEMORY_BYTES

    with ExitStack() as opened:
        with env.progress(args) as progress:
            asked = opened.enter_context(open_inventories(named, args.memory or MEMORY_BYTES, progress))
        for line in asked.remarks:
            env.stderr.write(f"{line}\n")
        yield asked
