"""Sidecars: what people wrote about a picture or clip, in a file beside it."""
