"""A small textured thing that turns and bulges over a ground, its outline known: for tests of what the picture draws."""

import numpy as np

from benchmarks.bodies import Body

SIZE = (240, 160)


def swaying(frames: int = 9, **more: object) -> Body:
    """Turns by three degrees a frame, goes to the right and bulges at its right side."""

    def way(moment: float, places: np.ndarray) -> np.ndarray:
        a = np.radians(3.0 * moment)
        bulge = 0.5 * moment * np.exp(-(((places[:, 0] - 25) / 25) ** 2))
        moved = places + np.stack([bulge, 0 * bulge], axis=1)
        return moved @ np.array([[np.cos(a), np.sin(a)], [-np.sin(a), np.cos(a)]]) + [90 + 3.0 * moment, 80]

    angle = 2 * np.pi * np.arange(48) / 48
    outline = np.stack([38 * np.cos(angle), 28 * np.sin(angle)], axis=1)
    said = {"name": "swaying", "way": way, "outline": outline, "half": (44, 34), "frames": frames, "size": SIZE, "contrast": 1.0, **more}
    return Body(**said)  # type: ignore[arg-type]
