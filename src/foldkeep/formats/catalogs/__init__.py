"""Catalogues of other programs, in the forms that they write."""
