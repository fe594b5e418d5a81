"""Edits: what may be said, what it changes, how it is written and taken back."""
