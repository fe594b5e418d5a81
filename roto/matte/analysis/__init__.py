"""What is read from a plate along an outline: its softness and its shutter."""
