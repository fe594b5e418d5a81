"""The desk's kinds of background work, made known to the workers."""

from jaythread.desk.analysis import fit
from jaythread.desk.matting import fringes, teaching
from jaythread.desk.tracking import drawing, following, foreseeing, outlining, thinning

__all__ = ["drawing", "fit", "following", "foreseeing", "fringes", "outlining", "teaching", "thinning"]
