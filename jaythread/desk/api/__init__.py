"""The desk over HTTP: parses, calls one function, answers."""
