"""Productions: who works on what."""
