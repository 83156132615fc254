"""Copies: files and folders with the same content, and what is known of them."""
