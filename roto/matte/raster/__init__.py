"""Exact areas: the edges of outlines, row by row."""
