"""Asking files what they decode to, as far as others may decode to the same."""

from collections.abc import Collection

from foldkeep.model import Problem, Progress
from foldkeep.stock import Reading, Shared, Signal, Stock, Unmeasured

from ..extractors import DECODED
from ..gathering import ask_beginnings, find_signals
from ..media_worker import Apart
from .forms import Form, may_agree


def make_forms(stock: Stock, places: Collection[int], kinds: frozenset[str], progress: Progress) -> list[Problem]:
    """Ask for the forms of files of some kinds in places that have none yet, and mark in the stock which may agree.

    Return what could not be read now. Of each file only its headers are read.
    """

    def ask(helper: Apart, each: Reading) -> bytes:
        return helper.form(each.path)

    problems = ask_beginnings(stock, stock.forms, DECODED, ask, kinds, places, "Looking at headers", progress)
    known = stock.forms.known(DECODED.version, places)
    stock.forms.mark(may_agree((number, content, Form.read(form)) for number, content, form in known))
    return problems


def find_decoded(stock: Stock, places: Collection[int], progress: Progress) -> list[Problem]:
    """Decode the contents in places that were marked as those that may agree; return what could not be read now."""

    def ask(helper: Apart, each: Unmeasured) -> Signal:
        return Signal(helper.decoded(each.path, each.size))

    return find_signals(stock, DECODED, ask, places, "Decoding", progress, Shared.FORM)
