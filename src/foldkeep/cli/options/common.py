"""The options that every command takes, and one of those that hold places."""

from .option import EVERYWHERE, Option, Takes

COMMON = (
    Option("--stock", "the stock to use (else FOLDKEEP_STOCK, else your own)", Takes.FILE, "FILE", group=EVERYWHERE),
    Option("--json", "print one JSON document", group=EVERYWHERE, short="-j"),
    Option("--quiet", "no progress, no notes, no next command", group=EVERYWHERE, short="-q"),
    Option("--no-progress", "no progress, but notes", group=EVERYWHERE),
    Option("--no-color", "no colours, even on a terminal", group=EVERYWHERE),
    Option("--debug", "on an internal error, show the traceback and versions", group=EVERYWHERE),
)
BREAK_LOCK = Option(
    "--break-lock", "take over a lock that another computer left behind, or this one before a restart", rare=True
)
