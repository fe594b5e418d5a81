"""Pictures: stills and movies in and out, sequences of names, how a plate is displayed."""
