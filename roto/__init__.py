"""The computing core of Jay Thread: outlines, motion, mattes, pictures, documents, packages.

Fixed once, for everything below:

* **Coordinates** are plate pixels in float64, the origin at the picture's top left corner, x to the right, y down.
  Pixel (i, j) covers ``[i, i+1) x [j, j+1)``; its centre is ``(i + 0.5, j + 0.5)``. Arrays of pixels are indexed ``[y, x]``.
  Any finite coordinate is legal, also far outside the picture.
* **Time** is counted in the plate's own frame numbers; moments between frames are real numbers.
* **Alpha** is float32 from 0 (outside) to 1 (inside), linear in covered area, never premultiplied into itself.
* A **point** is six numbers ``(x, y, in_x, in_y, out_x, out_y)``; tangents are offsets from the position.
* A **box** is ``(x0, y0, x1, y1)`` in whole pixels, the last column and row not included.

Nothing here imports Django or the application.
"""

import os

from roto.malloc_tuning import keep_freed_memory

keep_freed_memory()
# Work is shared out by frames and outlines already, and matrices are small: threads of linear algebra beside that only wait for each other
# (following what bends took 1.4 to 8 times as long). It is read once, when NumPy is loaded: whoever loads that first decides.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
