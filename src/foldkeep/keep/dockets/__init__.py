"""Dockets, one module a finder that makes them."""
