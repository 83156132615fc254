"""Keys of machines, and what they sign."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .keys import PublicKey, make_key, public_key, read_public_line
    from .vouchers import read_voucher, write_voucher

__all__ = [
    "PublicKey",
    "make_key",
    "public_key",
    "read_public_line",
    "read_voucher",
    "write_voucher",
]

__getattr__ = names_of(__name__, __file__)
