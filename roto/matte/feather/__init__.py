"""Soft edges: alpha across the reach of an outline."""
