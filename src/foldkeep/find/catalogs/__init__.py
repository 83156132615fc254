"""Catalogues of other programs: which files they mean, and what they have lost track of."""
