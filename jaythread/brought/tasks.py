"""The kinds of background work of this room, made known to the workers."""

from jaythread.brought import actions

__all__ = ["actions"]
