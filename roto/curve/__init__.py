"""Curves: cubic segments of closed outlines, flattening, splitting."""
