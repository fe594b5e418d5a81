"""Taught lines of the stack: alpha learned from finished frames of this shot, and from them alone."""
