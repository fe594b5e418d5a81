"""The shot's shapes, mattes and tracks as the core knows them."""
