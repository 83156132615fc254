"""The command line: parse, call the core, hand the answer to `foldkeep.show`. One module a command."""

from .environment import Environment, ExitStatus
from .main import main

__all__ = ["main", "Environment", "ExitStatus"]
