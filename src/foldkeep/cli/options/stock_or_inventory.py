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
    from foldkeep.find.compare import load_inventory
    from foldkeep.stock import Stock

    return load_inventory(args.inventory) if args.inventory else Stock.open(env.stock_path(args))
