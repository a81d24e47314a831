"""A definition becomes a list of array operations."""
