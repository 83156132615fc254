"""The options that every command takes, and one of those that hold places."""

from .option import Option, Takes

_EVERYWHERE = "everywhere"
COMMON = (
    Option("--stock", "the stock to use (else FOLDKEEP_STOCK, else your own)", Takes.FILE, "FILE", group=_EVERYWHERE),
    Option("--json", "print one JSON document", group=_EVERYWHERE),
    Option("--quiet", "print only problems", group=_EVERYWHERE),
    Option("--no-color", "no colours, even on a terminal", group=_EVERYWHERE),
    Option("--debug", "on an internal error, show the traceback and versions", group=_EVERYWHERE),
)
BREAK_LOCK = Option("--break-lock", "take over a lock that another computer left behind, or this one before a restart")
