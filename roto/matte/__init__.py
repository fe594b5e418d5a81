"""Mattes: coverage, reach, shutter, stack."""
