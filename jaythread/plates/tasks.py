"""The plates' kinds of background work, made known to the workers."""

from jaythread.plates import actions

__all__ = ["actions"]
