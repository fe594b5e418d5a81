"""Alpha solved from the picture itself: hair and fuzz."""
