"""What looks wrong about the frames of a matte: read from the matte and its plate, judged over time."""
