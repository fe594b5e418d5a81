"""Plates: pictures brought in, decoded once, shown."""
