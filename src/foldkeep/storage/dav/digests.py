"""Digests that a server states of a whole content (RFC 9530)."""

import base64
import binascii
from collections.abc import Mapping

_LENGTHS = {"sha-256": 32, "sha-512": 64}


def stated_digest(headers: Mapping[str, str]) -> str:
    """Return the strongest digest that an answer states, as ``sha-256:<hex>``; empty if it states none.

    A dictionary of byte sequences (RFC 8941): ``sha-256=:<base64>:, sha-512=:<base64>:``.
    """
    found = ""
    for each in headers.get("repr-digest", "").split(","):
        name, _, value = each.strip().partition("=")
        name, value = name.strip().lower(), value.strip().partition(";")[0].strip()
        if name not in _LENGTHS or len(value) < 2 or value[0] != ":" or value[-1] != ":":
            continue
        try:
            digest = base64.b64decode(value[1:-1], validate=True)
        except (binascii.Error, ValueError):
            continue
        if len(digest) == _LENGTHS[name] and (not found or name == "sha-256"):
            found = f"{name}:{digest.hex()}"
    return found
