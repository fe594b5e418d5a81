"""Comparing: any two states of a matte side by side: now, a moment of the past, a package, a matte from elsewhere."""
