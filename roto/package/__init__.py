"""Packages: the files of one delivery, their manifest, and the proof that they are right."""
