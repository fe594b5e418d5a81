"""Delivery: mattes rendered to files, packed, read back, handed over."""
