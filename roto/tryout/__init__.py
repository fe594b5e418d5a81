"""Tryouts: a matte put to use. Lines from the bottom up, each showing something, through something, placed, and something done to it.

Pictures are premultiplied float32 (h, w, 4) in linear light. Lengths are plate pixels; a picture made smaller has all of them made smaller.
"""
