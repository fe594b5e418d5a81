"""What follows the picture: patches, tracks, carriers; thinning of keys; how well an outline lies on the picture's edge."""
