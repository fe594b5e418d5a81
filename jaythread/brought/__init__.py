"""Mattes that were made elsewhere, brought in from files: to be held against our own, or put to use."""
