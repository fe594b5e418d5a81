"""Tryouts: mattes put to use, beside the desk."""
