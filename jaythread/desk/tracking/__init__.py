"""Following tracks through the plate."""
