"""The made-up production Saltmarsh: five shots, drawn from a seed, whose true mattes are known.

Everything here is drawn by independent sampling (sprites, warped at many moments of the exposure); nothing is taken from `roto`.
"""
