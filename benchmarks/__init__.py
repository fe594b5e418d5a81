"""Benchmarks: each figure is a ratio against something measured in the same run. `python -m benchmarks` prints the table."""
