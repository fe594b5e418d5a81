"""Fringes: alpha solved from the plate."""
