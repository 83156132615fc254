"""Whole runs: what a docket comes to, and folding, unfolding, releasing and auditing it."""
