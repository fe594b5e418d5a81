"""The kinds of work of this room, made known to whoever carries work out."""

from jaythread.review import reading

__all__ = ["reading"]
