"""What the page is sent."""
