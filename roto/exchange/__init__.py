"""Open formats for shapes: the shape document."""
