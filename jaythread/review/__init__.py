"""Mattes looked at: the check sheet, what is found on it, and what people say to that."""
