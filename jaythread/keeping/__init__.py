"""Keeping order: shots renamed, removed, brought back, and cleared away for good."""
