"""The options that every command takes, and one of those that hold places."""

from .option import Option, Takes

_EVERYWHERE = "everywhere"
COMMON = (
    Option("--stock", "the stock to use (else FOLDKEEP_STOCK, else your own)", Takes.FILE, "FILE", group=_EVERYWHERE),
    Option("--json", "answer with one JSON document", group=_EVERYWHERE),
    Option("--quiet", "no progress and no answer, only problems", group=_EVERYWHERE),
    Option("--no-color", "no colours, also on a terminal", group=_EVERYWHERE),
    Option("--debug", "of a fault of Fold Keep itself show all that tells of it", group=_EVERYWHERE),
)
BREAK_LOCK = Option(
    "--break-lock", "take a place whose lock another computer left behind, or this one before it was started anew"
)
