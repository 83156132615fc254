"""What files decode to: the samples, pixels or packets that files of other bytes may have in common."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from ..extractors import DECODED
    from .files import decoded
    from .finding import Finding, NotDecoded
    from .forms import Form, form_of, may_agree
    from .gathering import find_decoded, make_forms

__all__ = [
    "DECODED",
    "Finding",
    "NotDecoded",
    "Form",
    "form_of",
    "may_agree",
    "decoded",
    "make_forms",
    "find_decoded",
]

__getattr__ = names_of(__name__, __file__)
