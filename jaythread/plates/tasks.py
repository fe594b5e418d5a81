"""The plates' kinds of background work, made known to the workers."""

from jaythread.plates import actions, changes, showing

__all__ = ["actions", "changes", "showing"]
