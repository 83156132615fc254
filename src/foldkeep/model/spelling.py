"""Words that are nearly known ones."""

from collections.abc import Iterable


def nearest(word: str, known: Iterable[str]) -> str:
    """Return the known word that is most like one; empty if none is."""
    from difflib import get_close_matches

    return next(iter(get_close_matches(word, list(known), n=1)), "")


def advice_for(word: str, known: Iterable[str], otherwise: str) -> str:
    """Return the question whether the nearest known word was meant; `otherwise` if none is near."""
    near = nearest(word, known)
    return f"did you mean {near}?" if near else otherwise
