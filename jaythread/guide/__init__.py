"""The guide for artists as pages."""
