"""The plates' kinds of background work, made known to the workers."""

from jaythread.plates import actions, showing

__all__ = ["actions", "showing"]
