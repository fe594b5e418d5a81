"""Every tolerance of the core, each with its unit and its reason."""

FLATTEN_COVERAGE = 0.002
"""px: sides lie this close to the curve where exact areas are wanted; leaves a mean edge error under 0.0005."""

FLATTEN_REACH = 0.02
"""px: sides for distances, what a reach is promised to; most sides lie far closer."""

SOFT_MARGIN = 0.7072
"""px: half a pixel's diagonal; beyond the reach by this much alpha is exactly 0 or 1."""

BLUR_STEP = 0.5
"""px: the longest way a corner of an outline with a reach may travel between two samples of an exposure."""

CRISP_STEPS = 6.0
"""per square root of a px of way: samples of an exposure for edges without a reach. A pixel is covered evenly for a px of way, so so many
even samples leave way / (8 samples^2) at the kink where that begins, and twice as much for a thin line: 0.0035 and 0.007 at the most."""

DEEP_STEP = 0.35
"""of a reach (and the pixel's own): the same for outlines with a reach, whose alpha is a mean over each step."""

MOST_STEP = 2.0
"""px: and at most so far, since between two looks a distance is taken to run evenly. About a corner it does not: BLUR_STEP there."""

AMONG = 0.048
"""of alpha: how far that of two lines that pass each other may be off, twelvefold, where one of them is looked at more seldom; see
`render.exposure`"""

BLUR_CAP = 128
"""samples: the most that one frame takes unless asked otherwise; enough for 450 px of way in an exposure."""

THIN_REACH = 1.0
"""px: below this the straight-edge average of a reach is corrected towards the exact coverage."""

LEAST_DEEP = 0.001
"""px: what stands for no reach at all where there is an edge shift of a pixel or more."""

ADDED_POINT = 0.01
"""px: how far an outline may move at any frame when a point is added (the promise is 0.05)."""

SAME_VALUE = 1e-9
"""Keys whose numbers differ by less are equal: the stretch between them stands still."""

SAME_PLACE = 0.01
"""px: places of a freehand line nearer to each other are one."""

SHARED_EDGE = 0.05
"""px: how well a shared edge agrees with the one it was taken from, on every frame."""

KEPT_OUTLINE = 0.05
"""px: how far an outline may be off on any frame when what carries it is changed and it is to stay where it is."""

STEEPEST_REACH = 0.5
"""px per px: how fast a reach may change along the outline; what is set more steeply runs out at this slope."""

MATTING_REGULAR = 1e-4
"""of colour squared, a window: how much a colour model of a window may be trusted; below the plates' grain."""

MATTING_REST = 1e-3
"""of the right side: where solving for alpha ends. A hundredth of it changes the mean error by 0.0005."""

SOLID = 0.998
"""of alpha: what counts as solid where a fringe asks; less than a half of 1/255 under 1."""

SAME_AREA = 1e-5
"""of a matte's area: how well sums of its values agree before and after writing, for rounding of whole numbers"""

CUT_CHANGE = 0.04
"""of full scale, on the mean of a small grey picture: a cut changes more than this at once"""

CUT_LIKENESS = 0.8
"""correlation of two pictures from which they are one picture, however its light has changed"""

CUT_TIMES = 3.0
"""times the changes beside it that a cut is: motion alone is not so uneven"""
