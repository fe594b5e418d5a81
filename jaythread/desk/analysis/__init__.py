"""What is read from the plate along outlines: fit, softness, shutter."""
