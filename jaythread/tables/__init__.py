"""The tables themselves, for keepers of the house: Django's own admin, at an address of its own, off unless JAY_ADMIN says where."""
