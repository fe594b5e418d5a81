"""Notes on frames and places."""
