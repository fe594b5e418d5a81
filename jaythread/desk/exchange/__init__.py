"""What goes out and comes in."""
