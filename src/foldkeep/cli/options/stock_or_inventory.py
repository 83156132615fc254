"""What is asked: the stock, or an inventory in its place."""

import argparse
from typing import TYPE_CHECKING

from .option import Option, Takes

if TYPE_CHECKING:
    from foldkeep.stock import Stock

    from ..environment import Environment


INVENTORY = Option("--inventory", "use an inventory instead of the stock", Takes.INVENTORY, "FILE")


def open_source(args: argparse.Namespace, env: "Environment") -> "Stock":
    """Open what is asked; to be closed by ``with``."""
    if args.inventory:
        from foldkeep.find.compare import load_inventory

        return load_inventory(args.inventory)
    from foldkeep.stock import Stock

    return Stock.open(env.stock_path(args))
