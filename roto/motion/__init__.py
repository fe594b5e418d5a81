"""Motion: keys, channels, in-betweening, placement, live ranges, and the shape that they make up."""
