"""What is asked: the stock, or inventories in its place."""

import argparse
from collections.abc import Iterator
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
        "use this inventory instead of the stock, or all in this folder or that fit this glob",
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
    from foldkeep.engine import listed
    from foldkeep.formats.columns import is_by_columns

    files = listed(args.inventory)
    if len(files) == 1 and not is_by_columns(files[0]):
        from foldkeep.find.compare import load_inventory

        with load_inventory(files[0]) as stock:
            yield stock
        return
    with open_many(args, env) as asked:
        yield asked.stock


@contextmanager
def open_many(args: argparse.Namespace, env: "Environment") -> "Iterator[Inventories]":
    """Open inventories as one, and say what of them does not count, or is not known."""
    from foldkeep.engine import open_inventories
    from foldkeep.formats.columns import MEMORY_BYTES

    with ExitStack() as opened:
        with env.progress(args) as progress:
            asked = opened.enter_context(open_inventories(args.inventory, args.memory or MEMORY_BYTES, progress))
        for line in asked.remarks:
            env.stderr.write(f"{line}\n")
        yield asked
