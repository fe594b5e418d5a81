"""The kinds of work of this room, made known to whoever carries work out."""

from jaythread.tryouts import ahead

__all__ = ["ahead"]
