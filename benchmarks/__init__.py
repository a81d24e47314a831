"""Ratios measured in one run: against a plain loop, and against the floor. Run with `make bench`."""
