"""The receiving bench: the other side, simulated. A house of its own: it knows the manifest of a package and plain HTTP, nothing else."""
